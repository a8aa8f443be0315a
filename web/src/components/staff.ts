/** Where everything stands on a surveyor's staff that lies down: pure functions of its numbers, in pixels. */
import type { Board, Window } from "../api/client";
import { highest } from "./gauge";

export interface Tide {
  x: number;
  word: string;
  value: number;
}
export interface Lying {
  /** The part that is allowed. */
  from: number;
  to: number;
  /** Levels carried for a while, or for a time that nobody knows. */
  overloads: { x: number; words: string; timed: boolean }[];
  /** Below this a port turns itself off. */
  off?: number;
  tides: Tide[];
}

const TOP = 1.5;
const round = (value: number, digits = 3) => String(Number(value.toPrecision(digits)));

/** What a staff of a limit is drawn from. */
export type Limited = Pick<Board, "limit" | "unit" | "overload" | "marks"> & { auto_off?: number | null };

const howLong = (seconds: number | null | undefined) =>
  seconds == null ? "for nobody knows how long" : `for ${round(seconds)} s`;

/** A limit: 0 to 150 % of it over `width`; what lies beyond stands at the end. */
export function lyingLimit(board: Limited, width: number): Lying {
  const x = (value: number) => (Math.min(value / Math.max(board.limit, 1e-9), TOP) / TOP) * width;
  return {
    from: 0,
    to: x(board.limit),
    overloads: board.overload.map((it) => ({
      x: x(it.up_to),
      timed: it.for_s != null,
      words: `${round(it.up_to)} ${board.unit} ${howLong(it.for_s)}`,
    })),
    tides: highest(board.marks).map(([word, value]) => ({ x: x(value), word, value })),
    ...(board.auto_off == null ? {} : { off: x(board.auto_off) }),
  };
}

/** The lowest mark of each word, which is what a window must bear. */
function lowest(marks: Window["marks"]): [string, number][] {
  return highest(marks.map((it) => ({ ...it, value: -it.value }))).map(([word, value]) => [word, -value]);
}

/** A window: what is taken in the middle, a third of it shown on either side. */
export function lyingWindow(window: Window, width: number): Lying {
  const low = window.low ?? (window.high ?? 0) * 0.75;
  const high = window.high ?? low * 1.25;
  const wide = Math.max(high - low, 1e-9);
  const start = low - wide / 3;
  const x = (value: number) => Math.min(1, Math.max(0, (value - start) / (wide * (5 / 3)))) * width;
  return {
    from: window.low == null ? 0 : x(low),
    to: window.high == null ? width : x(high),
    overloads: [],
    tides: tidesOf(window).map(([word, value]) => ({ x: x(value), word, value })),
  };
}

/** The marks of a window that matter: the lowest of each word, and where one is above its highest, that one. */
function tidesOf(window: Window): [string, number][] {
  const over = window.high == null ? [] : highest(window.marks.filter((it) => it.value > (window.high ?? 0)));
  return over.length > 0 ? over : lowest(window.marks);
}

/** How much of a limit is used at most; of a window, how little of it is left below. Larger is worse. */
export function strainOf(board: Board): number {
  return Math.max(0, ...board.marks.map((it) => it.value / Math.max(board.limit, 1e-9)));
}

/** "run 0.47, busy 0.62, start 0.86 A" */
export function tideWords(tides: Tide[], unit: string): string {
  if (tides.length === 0) return "dark";
  return `${tides.map((it) => `${it.word} ${round(it.value)}`).join(", ")} ${unit}`;
}

/** "takes 10.8 to 14.5 V" */
export function windowWords(window: Window): string {
  if (window.low != null && window.high != null)
    return `takes ${round(window.low, 4)} to ${round(window.high, 4)} V`;
  if (window.low != null) return `takes ${round(window.low, 4)} V at least`;
  return window.high == null ? "" : `takes ${round(window.high, 4)} V at most`;
}
