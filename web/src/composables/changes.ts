/**
 * Changes of sites as the server tells them, one stream for all pages of a browser: a browser has six
 * connections for a server, and a stream for each page would leave none for the seventh. One page leads and
 * hands on what it hears; when it goes, another one takes its place.
 */
import type { Schemas } from "../api/client";

export type Told =
  | { kind: "changed"; changed: Schemas["Changed"] }
  /** What was told meanwhile is not known: everything is read anew. */
  | { kind: "behind" }
  | { kind: "open" }
  | { kind: "lost" };

const NAME = "ash-pond.changes";

/** Listens until it is stopped. */
export function listenToChanges(take: (told: Told) => void): () => void {
  let leave = () => {};
  const join = () => {
    leave = inStep(take);
  };
  join();
  // A browser keeps pages that were left: one that is left lets go of the stream, and one that is come back
  // to asks anew.
  const left = () => leave();
  const comeBack = (event: PageTransitionEvent) => {
    if (event.persisted) join();
  };
  addEventListener("pagehide", left);
  addEventListener("pageshow", comeBack);
  return () => {
    removeEventListener("pagehide", left);
    removeEventListener("pageshow", comeBack);
    leave();
  };
}

function inStep(take: (told: Told) => void): () => void {
  const channel = new BroadcastChannel(NAME);
  channel.onmessage = (event: MessageEvent<Told>) => take(event.data);
  const lead = () =>
    stream((told) => {
      take(told);
      channel.postMessage(told);
    });
  let stop = () => {};
  const gone = new AbortController();
  // Not every browser has locks where the page came over plain HTTP: then each page has a stream of its own.
  const locks = (globalThis as { navigator?: { locks?: LockManager } }).navigator?.locks;
  if (locks) {
    const held = () =>
      new Promise<void>((done) => {
        const close = lead();
        stop = () => {
          close();
          done();
        };
      });
    locks.request(NAME, { signal: gone.signal }, held).catch(() => undefined);
  } else stop = lead();
  return () => {
    gone.abort();
    stop();
    channel.close();
  };
}

function stream(tell: (told: Told) => void): () => void {
  const events = new EventSource("/api/events");
  events.addEventListener("changed", (event) => {
    const changed = JSON.parse((event as MessageEvent<string>).data) as Schemas["Changed"];
    tell({ kind: "changed", changed });
  });
  events.addEventListener("behind", () => tell({ kind: "behind" }));
  events.addEventListener("open", () => tell({ kind: "open" }));
  events.addEventListener("error", () => tell({ kind: "lost" }));
  return () => events.close();
}
