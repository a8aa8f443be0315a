/** Where everything of an outage stands in its picture: hours to pixels, rows to heights, words where there is room. */
import type { Schemas } from "../../api/client";
import { clock } from "../../format/units";
import type { Told } from "./useOutage";

export type Doing = Schemas["Doing"];

export interface Frame {
  /** Left and right edge of time, px. */
  left: number;
  right: number;
  /** Hours at both. */
  from: number;
  to: number;
}

export const x = (frame: Frame, hours: number) =>
  frame.left + ((hours - frame.from) / (frame.to - frame.from)) * (frame.right - frame.left);
export const hoursAt = (frame: Frame, px: number) =>
  Math.min(
    frame.to,
    Math.max(
      frame.from,
      frame.from + ((px - frame.left) / (frame.right - frame.left)) * (frame.to - frame.from),
    ),
  );

/** A stretch cut to what is seen; none where it is not. */
export function seen(frame: Frame, from: number, to: number): { x: number; width: number } | undefined {
  const [a, b] = [Math.max(from, frame.from), Math.min(to, frame.to)];
  if (b <= a) return undefined;
  return { x: x(frame, a), width: Math.max(0.75, x(frame, b) - x(frame, a)) };
}

/** A stretch of a row, where it stands. */
export interface Span {
  x: number;
  width: number;
  state: Doing;
  words: string;
}

/** What a state is called in a row. */
export const WORDS: Record<Doing, string> = {
  on: "on",
  starting: "starting",
  off: "off by its clock",
  shut: "switched off before it",
  held: "held",
  shed: "dropped",
  down: "down",
  reset: "too low, resets",
  restarting: "restarting",
  latched: "waits for a hand",
  inspect: "look before restart",
};

/** Hours as they are read at a row's end. */
export function short(hours: number): string {
  // Full minutes, as the server's sentences have them: nothing lasts longer for being told.
  const minutes = Math.floor(hours * 60 + 1e-6);
  if (hours >= 20) return `${Math.floor(minutes / 60)} h`;
  if (minutes < 60) return `${minutes} min`;
  return minutes % 60
    ? `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, "0")}`
    : `${minutes / 60} h`;
}

/** A time to switch by, with its seconds: who stands at the board counts them. */
export function onTheClock(seconds: number): string {
  const whole = Math.round(seconds);
  return whole < 90 ? `${whole} s` : `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")} min`;
}

/** What stands in a series at a time: the last moment before it. */
export function indexAt(atH: number[], hours: number): number {
  let low = 0;
  let high = atH.length - 1;
  while (low < high) {
    const middle = (low + high + 1) >> 1;
    if ((atH[middle] ?? 0) <= hours + 1e-9) low = middle;
    else high = middle - 1;
  }
  return Math.max(0, low);
}

/** The clock on the wall at a time, by the ticks of the server, so that changes of the clock are in it. */
export function clockAt(told: Told, hours: number): string {
  const [date = "", time = "00:00"] = told.start.split("T");
  const [h = 0, m = 0] = time.split(":").map(Number);
  // Of the even hours that the server names, the last one before it says how far the clock was put on.
  let shift = 0;
  for (const { at_h: at, of_day_h: shown } of told.ticks) {
    if (at > hours) break;
    const plain = (((h + m / 60 + at) % 24) + 24) % 24;
    let off = shown - plain;
    if (off > 12) off -= 24;
    if (off < -12) off += 24;
    shift = Math.round(off * 4) / 4;
  }
  const utc = Date.parse(`${date}T00:00:00Z`) + Math.round((h * 60 + m + (hours + shift) * 60) * 60000);
  const at = new Date(utc);
  const day = ["Sun", "Mon", "Tue", "Wed", "Thu", "Fri", "Sat"][at.getUTCDay()];
  return `${day} ${clock(at.getUTCHours() + at.getUTCMinutes() / 60)}`;
}

export interface Flag {
  x: number;
  row: number;
  words: string;
  at: number;
  bad: boolean;
  anchor: "start" | "end";
}

const SAID: Record<string, string> = {
  floor: "at its floor",
  "cut-off": "cut off",
  "low-voltage cut-out": "cuts out",
  "cut-in": "back in",
  "back on": "back on",
  "carried away": "carried away",
  "input below minimum": "resets",
  "auto-off": "turns itself off",
  trip: "trips",
  shed: "dropped",
  "out of fuel": "out of fuel",
  "deadline passed": "past its deadline",
};

/** Events as words over the stores, each in the first of a few lines in which it does not run into another. */
export function flags(told: Told, frame: Frame, label: (id: string) => string, lines: number): Flag[] {
  const ends: number[] = Array<number>(lines).fill(-Infinity);
  const found: Flag[] = [];
  for (const event of told.simulation.events) {
    const said = SAID[event.what];
    if (!said || event.at_h < frame.from || event.at_h > frame.to) continue;
    const words = `${label(event.item.split("/")[0] ?? event.item)} ${said}`;
    const at = x(frame, event.at_h);
    const width = words.length * 6.1 + 10;
    const anchor = at + width > frame.right ? "end" : "start";
    const begin = anchor === "start" ? at : at - width;
    const row = ends.findIndex((end) => end < begin);
    if (row < 0) continue;
    ends[row] = begin + width;
    found.push({
      x: at,
      row,
      words,
      at: event.at_h,
      bad: !["shed", "cut-in", "back on"].includes(event.what),
      anchor,
    });
  }
  return found;
}

/** A path through points of a series. */
export function path(frame: Frame, atH: number[], values: number[], y: (value: number) => number): string {
  const points: string[] = [];
  atH.forEach((at, index) => {
    const next = atH[index + 1] ?? at;
    const before = atH[index - 1] ?? at;
    if (next < frame.from || before > frame.to) return;
    points.push(`${x(frame, at).toFixed(1)} ${y(values[index] ?? 0).toFixed(1)}`);
  });
  return points.length ? `M${points.join("L")}` : "";
}

/** Milliseconds and seconds on one axis: even to 100 ms, then by powers of ten to ten minutes. */
export function momentScale(width: number) {
  const linear = 0.45;
  return (ms: number) => {
    if (ms <= 100) return (Math.max(0, ms) / 100) * linear * width;
    const decades = Math.log10(Math.min(ms, 600_000) / 100) / Math.log10(6000);
    return (linear + decades * (1 - linear)) * width;
  };
}

/** The one-line answer: the arrangement, how long what matters most lasts, by its name, what goes first, and when. */
export function lineOfOutage(
  way: string,
  told: Told,
  chances: Schemas["ChancesTold"] | undefined,
  whole: number,
  label: (id: string) => string,
): string {
  const keeps = told.keeps ? told.simulation.devices[told.keeps]?.down_at_h : undefined;
  const range = told.keeps ? chances?.chances.devices[told.keeps]?.hours : undefined;
  const sure =
    range && range.p95 - range.p5 > 0.4 ? ` (${Math.round(range.p5)} to ${Math.round(range.p95)})` : "";
  const lost = Object.entries(told.simulation.devices)
    .filter(([, it]) => it.down_at_h != null && it.why !== "shed by rule")
    // Of those that go together, the one that matters most is named.
    .sort(
      (a, b) =>
        (a[1].down_at_h ?? 0) - (b[1].down_at_h ?? 0) ||
        Number(b[0] === told.keeps) - Number(a[0] === told.keeps),
    )[0];
  const name = told.keeps ? `${label(told.keeps)} ` : "";
  const lasts = keeps == null ? `${name}all ${Math.round(whole)} h` : `${name}${short(keeps)}`;
  if (!lost) return `${way} · ${lasts}${sure} · nothing goes`;
  const after = lost[0] === told.keeps ? "" : `, after ${short(lost[1].down_at_h ?? 0)}`;
  const first = `${label(lost[0])} goes first${after}`;
  return `${way} · ${lasts}${sure} · ${first}`;
}

/** What is opened below the picture. */
export const PANELS = ["switch", "return", "edit", "table", "back"] as const;
export type Panel = (typeof PANELS)[number];
