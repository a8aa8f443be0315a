/** Figures as they are typed and told: a value, its ±, and a letter for where it comes from. */
import type { Entry, Figure } from "../api/client";
import { fixed, plain, places } from "./number";

const LETTERS: Record<string, string> = { measured: "m", label: "l", datasheet: "d", assumed: "" };

/**
 * What stands in a field: `6.2 ± 0.2 m`; a share as a percentage. Of a length, m is the metre, and who measured
 * it says so in a word.
 */
export function typed(figure: Figure | null | undefined, share = false, metres = false): string {
  if (figure == null) return "";
  const whole = typeof figure === "number" ? { value: figure } : figure;
  const factor = share ? 100 : 1;
  const half = "plus_minus" in whole && whole.plus_minus != null ? whole.plus_minus * factor : 0;
  const basis = "basis" in whole && whole.basis ? whole.basis : "assumed";
  const letter = metres && basis === "measured" ? basis : LETTERS[basis];
  // A value is shown to the digits that its ± deserves.
  const said = half > 0 ? ungrouped(whole.value * factor, half) : plain(whole.value * factor);
  return `${said}${share ? " %" : ""}${letter ? ` ${letter}` : ""}`;
}

function ungrouped(value: number, half: number): string {
  const short = (it: number) => plain(Number(it.toFixed(places(half))));
  return `${short(value)} ± ${short(half)}`;
}

/** The figure of an entry; a bare number where nothing more was said. */
export function figureOf(entry: Entry): Figure {
  const bare = entry.plus_minus == null && entry.basis === "assumed" && entry.note == null;
  if (bare) return entry.value;
  return {
    value: entry.value,
    ...(entry.plus_minus == null ? {} : { plus_minus: entry.plus_minus }),
    ...(entry.basis === "assumed" ? {} : { basis: entry.basis }),
    ...(entry.note == null ? {} : { note: entry.note }),
  };
}

/** How a figure came about, where it was converted or comes from a label. */
export function noteOf(figure: Figure | null | undefined): string {
  return figure != null && typeof figure === "object" && figure.note ? figure.note : "";
}

/** The raw value of a figure. */
export function raw(figure: Figure | null | undefined): number | undefined {
  if (figure == null) return undefined;
  return typeof figure === "number" ? figure : figure.value;
}

/** Seconds in the unit that a person would use. */
export function duration(seconds: number): string {
  if (seconds >= 5400) return `${fixed(seconds / 3600, seconds % 3600 === 0 ? 0 : 1)} h`;
  if (seconds >= 600) return `${fixed(seconds / 60, 0)} min`;
  return `${plain(seconds)} s`;
}

/** An id made from a name: lower case, hyphens, and a number where it is taken. */
export function idFrom(name: string, taken: Iterable<string>): string {
  const known = new Set(taken);
  const base =
    name
      .normalize("NFKD")
      .replace(/\p{M}/gu, "")
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "")
      .slice(0, 48) || "item";
  if (!known.has(base)) return base;
  let number = 2;
  while (known.has(`${base}-${number}`)) number += 1;
  return `${base}-${number}`;
}
