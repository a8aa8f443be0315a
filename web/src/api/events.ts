/** Answers that come as a stream of server-sent events to a question that is posted. */
import { spoken } from "../format/habits";
import { Refused } from "./client";

export interface Told {
  name: string;
  data: string;
}

/** Asks `path` of a site (`SITE/find/progress`); ends with its signal. Throws what was refused. */
export async function* asking(path: string, body: unknown, signal: AbortSignal): AsyncGenerator<Told> {
  const [site = "", ...rest] = path.split("/");
  const reply = await fetch(`/api/sites/${encodeURIComponent(site)}/${rest.join("/")}`, {
    method: "POST",
    headers: { "content-type": "application/json", "ash-pond-habits": spoken() },
    body: JSON.stringify(body),
    signal,
  });
  if (!reply.ok || !reply.body) {
    const problem = (await reply.json()) as { detail?: string };
    throw new Refused(problem.detail ?? "The server does not answer. Try again.", "", undefined);
  }
  yield* eventsOf(reply.body);
}

/** The events of a stream, as the browser's own reader of them knows only GET. */
async function* eventsOf(body: ReadableStream<Uint8Array>) {
  const reader = body
    .pipeThrough(new TextDecoderStream() as never)
    .getReader() as ReadableStreamDefaultReader<string>;
  let rest = "";
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    const blocks = (rest + value).split("\n\n");
    rest = blocks.pop() ?? "";
    for (const block of blocks) {
      const field = (name: string) =>
        block
          .split("\n")
          .filter((line) => line.startsWith(`${name}:`))
          .map((line) => line.slice(name.length + 1).trimStart())
          .join("\n");
      yield { name: field("event"), data: field("data") };
    }
  }
}
