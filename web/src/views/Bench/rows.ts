/** Rows of readings as they are typed: numbers with blanks, semicolons or tabs between. Pure functions. */
import { read } from "../../format/number";

/** "12.62 9.31 24.10 4.42": as many numbers as there are columns, or what is wrong with it. */
export function readRow(text: string, columns: { name: string }[]): number[] | string {
  const parts = text
    .trim()
    .split(/[\s;]+/)
    .filter((it) => it !== "");
  if (parts.length !== columns.length) {
    const names = columns.map((it) => it.name).join(", ");
    return `${parts.length} numbers; a row has ${columns.length}: ${names}.`;
  }
  const values: number[] = [];
  for (const [index, part] of parts.entries()) {
    const value = read(part);
    if (value === undefined) return `“${part}” is no number for ${columns[index]?.name ?? "this column"}.`;
    values.push(value);
  }
  return values;
}

/** What is left of a wait that began at `since`, s; 0 where it is over. */
export function left(since: number | undefined, wait: number, now: number): number {
  if (since === undefined) return wait;
  return Math.max(0, Math.ceil(wait - (now - since) / 1000));
}
