/** Rows of readings as they are typed: numbers with blanks, semicolons or tabs between. Pure functions. */
import { fixed } from "../../format/number";
import { isUnit, readIn, toHabit, unitOf } from "../../format/spoken";

/** What a column needs to be read. */
interface Column {
  name: string;
  unit: string;
  digits: number;
}

/** A value that a meter shows by itself. */
interface Live {
  name: string;
  side: string;
  unit: string;
  value?: number | null;
}

/** Numbers with what stands behind them, if that is a unit: `12.8 V 0.55 A` are two. */
function parts(text: string): string[] {
  const found: string[] = [];
  for (const part of text.split(/[\s;]+/)) {
    if (part === "") continue;
    const before = found[found.length - 1];
    if (before !== undefined && isUnit(part) && /\d$/.test(before))
      found[found.length - 1] = `${before} ${part}`;
    else found.push(part);
  }
  return found;
}

/**
 * "12.62 9.31 24.10 4.42", or "12.8 V 0.55 A": as many numbers as there are columns, in their units, or what is
 * wrong with it.
 */
export function readRow(text: string, columns: { name: string; unit?: string }[]): number[] | string {
  const found = parts(text);
  if (found.length !== columns.length) {
    const names = columns.map((it) => it.name).join(", ");
    return `${found.length} numbers; a row has ${columns.length}: ${names}.`;
  }
  const values: number[] = [];
  for (const [index, part] of found.entries()) {
    const column = columns[index];
    const value = readIn(part, column?.unit ?? "");
    if (value === undefined) {
      const number = /^[-−+]?[\d.,]+\s*\D/.test(part) && column?.unit !== undefined;
      const wants = number
        ? `is not in ${column.unit ? unitOf(column.unit) : "a bare number"}, as`
        : "is no number for";
      return `“${part}” ${wants} ${column?.name ?? "this column"}${number ? " is" : ""}.`;
    }
    values.push(value);
  }
  return values;
}

/** The value that belongs into a column: by its unit, and by the side that its name tells. */
export function belonging(column: Column, live: Live[]): Live | undefined {
  // A thermometer of its own is needed for anything but the battery.
  if (column.unit === "°C" && !column.name.includes("battery")) return undefined;
  const same = live.filter((it) => it.unit === column.unit && it.value != null);
  const side = /\b(in|out)\b/.exec(column.name)?.[1];
  const near = side === undefined ? same : same.filter((it) => it.side === side);
  const own = near.find((it) => it.side !== "store");
  return own ?? near[0] ?? (side === undefined ? undefined : same.find((it) => it.side === "store"));
}

/**
 * What is typed, with what the meters show behind it, and whether anything was there to fill. Columns that are read at
 * the end of a run wait: hours are what has passed on the meter's clock since `since`.
 */
export function filled(
  text: string,
  columns: Column[],
  live: Live[],
  since: number | undefined,
): { text: string; filled: number } {
  const found = parts(text);
  const before = found.length;
  const starts = columns.findIndex((it) => it.name === "at the start");
  for (const [index, column] of columns.entries()) {
    if (index < before) continue;
    // The start of a run is read by itself; the rest once it is over.
    if (starts >= 0 && index > starts && before <= starts) break;
    const value = belonging(column, live)?.value;
    if (value == null) break;
    const shown = column.unit === "h" && since !== undefined ? value - since : toHabit(value, column.unit);
    found.push(fixed(shown, Math.max(column.digits, column.unit === "%" ? 1 : 0)).replace(/\s/g, ""));
  }
  return { text: found.join("  ") + (found.length > before ? " " : ""), filled: found.length - before };
}

/** What is left of a wait that began at `since`, s; 0 where it is over. */
export function left(since: number | undefined, wait: number, now: number): number {
  if (since === undefined) return wait;
  return Math.max(0, Math.ceil(wait - (now - since) / 1000));
}
