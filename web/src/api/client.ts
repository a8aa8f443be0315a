import createClient from "openapi-fetch";
import { habits } from "../format/habits";
import { told } from "../format/units";
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

/** Fields that hold sentences of the server, in SI and with decimal points. Names, notes and ids stay as they are. */
const SENTENCES = new Set(
  "headline enough proposes least reason sentence words message brief line decides takes law window thermal question caution cut_off_by gives remedy idle_limit unknown second owner cause limited_by rule tightest".split(
    " ",
  ),
);

/** An answer with its sentences in the units of habit. */
function inHabit<T>(value: T, key = ""): T {
  if (typeof value === "string") return (SENTENCES.has(key) ? told(value) : value) as T;
  if (Array.isArray(value)) return value.map((it: unknown) => inHabit(it, key)) as T;
  if (typeof value !== "object" || value === null) return value;
  const entries = Object.entries(value as Record<string, unknown>);
  return Object.fromEntries(entries.map(([name, it]) => [name, inHabit(it, name)])) as T;
}

const inSi = () =>
  habits.decimal === "point" && habits.temperature === "c" && habits.length === "m" && habits.area === "mm2";

/** The data of an answer, or what went wrong. */
export function taken<T>(answer: { data?: T; error?: unknown; response: Response }): T {
  if (answer.data !== undefined) {
    const isPlan = typeof answer.data === "object" && answer.data !== null && "revisions" in answer.data;
    return isPlan || inSi() ? answer.data : inHabit(answer.data);
  }
  const problem = answer.error as Schemas["Problem"] | undefined;
  if (problem?.detail) throw new Refused(told(problem.detail), problem.code, problem.path ?? undefined);
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
