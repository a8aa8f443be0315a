/** Files handed to the person: made here, sent nowhere. */
import { idFrom } from "./figure";

/** Hands a file over by the browser's own saving. */
export function saveFile(name: string, content: Blob) {
  const address = URL.createObjectURL(content);
  const link = document.createElement("a");
  link.href = address;
  link.download = name;
  link.click();
  // The browser reads it after the click has ended.
  setTimeout(() => URL.revokeObjectURL(address), 10_000);
}

/** What a file is called: the present names of what it is of, in letters that every file system takes. */
export const called = (...names: string[]) => names.map((it) => idFrom(it, [])).join("-");

type Cell = string | number | null | undefined;

/** A table as CSV (RFC 4180): the first row its header, a point for decimals, every line ended. */
export function csv(rows: Cell[][]): string {
  const cell = (it: Cell) => {
    const bare = it == null ? "" : String(it);
    // A text that would begin a formula is one no more behind an apostrophe; numbers stay.
    const begins = typeof it === "string" && /^'*[=+\-@\t\r]/.test(bare);
    const text = begins && !Number.isFinite(Number(bare)) ? `'${bare}` : bare;
    return /[",\r\n]/.test(text) ? `"${text.replace(/"/g, '""')}"` : text;
  };
  return rows.map((row) => `${row.map(cell).join(",")}\r\n`).join("");
}

export function saveCsv(name: string, rows: Cell[][]) {
  saveFile(`${name}.csv`, new Blob([csv(rows)], { type: "text/csv;charset=utf-8" }));
}
