import createClient from "openapi-fetch";
import { spoken } from "../format/habits";
import type { components, paths } from "./types";

export type Schemas = components["schemas"];
export type Plan = Schemas["Plan"];
export type Answer = Schemas["Answer"];
export type Way = Schemas["Way"];
export type Board = Schemas["Board"];
export type Window = Schemas["Window"];
export type Working = Schemas["Working"];
export type Status = Schemas["Status"];
export type Feed = Schemas["Feed"];
export type Question = Schemas["Question"];
export type RevisedPlan = Schemas["RevisedPlan"];

export const api = createClient<paths>({ baseUrl: "/api" });
// While something is asked, the page says so, to who waits for it to rest.
let open = 0;
const asks = (more: number) => {
  open += more;
  // Where it is tested by itself there is no page.
  if (typeof document !== "undefined") document.documentElement.toggleAttribute("data-asking", open > 0);
};
api.use({
  onRequest: () => {
    asks(1);
  },
  onResponse: () => {
    asks(-1);
  },
  onError: () => {
    asks(-1);
  },
});
// Sentences come as their reader writes numbers and units; nothing is changed in them here.
api.use({
  onRequest({ request }) {
    request.headers.set("ash-pond-habits", spoken());
    return request;
  },
});

/** What went wrong, in a sentence, with the field where one is to blame. */
export class Refused extends Error {
  constructor(
    message: string,
    readonly code: string,
    readonly path: string | undefined,
  ) {
    super(message);
  }
}

/** The data of an answer, or what went wrong. */
export function taken<T>(answer: { data?: T; error?: unknown; response: Response }): T {
  if (answer.data !== undefined) return answer.data;
  const problem = answer.error as Schemas["Problem"] | undefined;
  if (problem?.detail) throw new Refused(problem.detail, problem.code, problem.path ?? undefined);
  throw new Refused(
    `The server answered ${answer.response.status}. Try again.`,
    String(answer.response.status),
    undefined,
  );
}
export type Device = Schemas["Device"];
export type Phase = Schemas["Phase"];
export type Figure = Schemas["FigureWatts"];
export type Entry = Schemas["Entry"];
export type Kit = Schemas["Kit"];
export type Need = Schemas["Need"];
export type Needs = Schemas["Needs"];
export type Change = Schemas["Change"];
export type Source = Schemas["Source"];
export type Converter = Schemas["Converter"];
export type Supply = Schemas["Supply"];
export type SourceFacts = Schemas["SourceFacts"];
export type ConverterFacts = Schemas["ConverterFacts"];
export type PortFacts = Schemas["PortFacts"];
export type Stored = Schemas["Stored"];
export type Matters = Schemas["Matters"];
export type Matter = Schemas["Matter"];
export type Arrangement = Schemas["Arrangement"];
export type DeviceVerdict = Schemas["DeviceVerdict"];
export type PortLimit = Schemas["PortLimit"];
export type Limit = Schemas["Limit"];
export type Port = Schemas["Port"];
export type Preview = Schemas["Preview"];
export type LossLaw = Schemas["LossLaw"];
export type SourceInput = Schemas["SourceInput"];
export type SiteFacts = Schemas["Site"];
