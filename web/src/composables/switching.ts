/** What is on only while it is needed: the rows of an arrangement, and how they are changed. */
import type { Arrangement, Feed, Schemas } from "../api/client";

export type Switch = Schemas["Switch"];
export type BeingOn = Schemas["BeingOn"];
export type How = Schemas["Switching"];

/** The hours that a night leaves on. */
const DAY: [string, string] = ["06:30", "23:00"];

/** The converter, or `source/port`, that a row switches. */
export const placeOf = (row: Switch) => (row.port == null ? row.item : `${row.item}/${row.port}`);

/** Rows of which what they switch is still in use. */
export function still(rows: Switch[] | undefined, feeds: Feed[]): Switch[] {
  const inUse = (row: Switch) =>
    row.port == null
      ? feeds.some((it) => it.to === row.item)
      : feeds.some((it) => it.from.item === row.item && it.from.port === row.port);
  return (rows ?? []).filter(inUse);
}

/** The rows of an arrangement with one place switched in another way; by hand where a person can. */
export function switched(way: Arrangement, on: BeingOn, how: How): Switch[] {
  if (how === "with_load") return on.then;
  const others = (way.switching ?? []).filter((it) => placeOf(it) !== on.place);
  if (how === "left_on") return others;
  const [item = "", port] = on.place.split("/");
  const known = (way.switching ?? []).find((it) => placeOf(it) === on.place);
  const row: Switch = { item, when: "hours", from: DAY[0], to: DAY[1], by_hand: true };
  if (port !== undefined) row.port = port;
  if (known?.standby_w != null) row.standby_w = known.standby_w;
  return [...others, row];
}

/** Places that may go off by the clock: nothing behind them comes to harm by being off. */
export const sleepable = (list: BeingOn[]) => list.filter((it) => it.by_clock);

/** Whether something before a place is one of some places: what is behind a switch needs none of its own. */
function isBehind(way: Arrangement, on: BeingOn, places: BeingOn[]): boolean {
  let item = on.place.split("/")[0];
  for (let steps = 0; steps < way.feeds.length; steps++) {
    const from = way.feeds.find((it) => it.to === item)?.from;
    if (!from) return false;
    if (places.some((it) => it.place === from.item || it.place === `${from.item}/${from.port}`)) return true;
    item = from.item;
  }
  return false;
}

/**
 * The rows of an arrangement with all of some places off at night, by as few switches as it takes, or left on
 * again; hours that a place has already stay.
 */
export function sleeping(way: Arrangement, places: BeingOn[], off: boolean): Switch[] {
  const first = off ? places.filter((it) => !isBehind(way, it, places)) : places;
  return first.reduce((rows, on) => {
    const known = rows.some((it) => placeOf(it) === on.place && it.when === "hours");
    return off && known ? rows : switched({ ...way, switching: rows }, on, off ? "hours" : "left_on");
  }, way.switching ?? []);
}

/** What a way of switching is called in a step that can be undone. */
export const WORDS: Record<How, string> = {
  left_on: "left on",
  with_load: "on with its load",
  hours: "off at night",
};
