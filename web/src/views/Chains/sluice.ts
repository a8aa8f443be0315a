/** A sluice in the picture: what is on only while it is needed. */
import type { Way } from "../../api/client";

export interface On {
  /** How long it is on in a day, h. */
  hours: number;
  words: string;
}

/** How long something that is switched is on in a day; none for what is left on. */
export function onOf(way: Pick<Way, "being_on">, place: string): On | undefined {
  const found = way.being_on.find((it) => it.place === place);
  if (!found || found.now.how === "left_on") return undefined;
  const shut = 24 - found.now.on_h;
  return { hours: found.now.on_h, words: `shut ${Number(shut.toPrecision(3))} h of 24` };
}
