/** Twelve shares of a clear day's light, one a month, as they are typed and read. Pure functions. */
import type { Figure } from "../../api/client";
import { raw } from "../../format/figure";
import { plain } from "../../format/number";

/** "20 25 32 …" in per cent; nothing where none are told. */
export function monthsText(shares: Figure[] | null | undefined): string {
  return (shares ?? []).map((it) => plain(Math.round((raw(it) ?? 0) * 1000) / 10)).join(" ");
}

/** Twelve per cents as shares, none for an empty text, or what is wrong with it. */
export function readMonths(text: string): number[] | string {
  const parts = text
    .trim()
    .split(/[\s;%]+/)
    .filter((it) => it !== "");
  if (parts.length === 0) return [];
  const values = parts.map((it) => Number(it.replace(",", ".")));
  const odd = values.findIndex((it) => !Number.isFinite(it) || it < 0 || it > 100);
  if (odd >= 0) return `“${parts[odd]}” is no per cent from 0 to 100.`;
  if (values.length !== 12) return `${values.length} numbers; give twelve, January first, or none.`;
  return values.map((it) => Math.round(it * 10) / 1000);
}
