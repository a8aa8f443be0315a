/** What stands in the tables of the shelf: order, filter and words. Pure functions of the answers. */
import type { Schemas } from "../../api/client";
import { exact } from "../../format/number";

export type Runs = Schemas["Runs"];
export type RunCell = Schemas["RunCell"];
export type RunsPort = Schemas["RunsPort"];
export type Together = Schemas["Together"];
export type Fills = Schemas["Fills"];
export type FillCell = Schemas["FillCell"];

/** Whether a device can be run so at all. */
export const can = (cell: RunCell) => cell.refused == null && cell.status !== "trips";
/** Whether it can, with nothing left open. */
export const proven = (cell: RunCell) => can(cell) && cell.status !== "unproven";

/** The places of columns, those on which most devices hold first; a port before what stands behind it. */
export function columnsOf(runs: Runs): number[] {
  const count = (column: number, of: (cell: RunCell) => boolean) =>
    runs.cells.filter((row) => row[column] && of(row[column])).length;
  const at = (column: number) => runs.ports[column]?.behind.length ?? 0;
  return runs.ports
    .map((_, column) => column)
    .sort(
      (a, b) =>
        count(b, proven) - count(a, proven) || count(b, can) - count(a, can) || at(a) - at(b) || a - b,
    );
}

/** The places of rows: as the plan has them, or those that run in the fewest places first. */
export function rowsOf(runs: Runs, worst: boolean): number[] {
  const list = runs.devices.map((_, row) => row);
  const count = (row: number) =>
    (runs.cells[row] ?? []).reduce((sum, cell) => sum + (proven(cell) ? 1000 : can(cell) ? 1 : 0), 0);
  return worst ? list.sort((a, b) => count(a) - count(b) || a - b) : list;
}

/** Whether every word that was typed stands in one of some texts. */
export function found(typed: string, ...texts: string[]): boolean {
  const all = texts.join(" ").toLowerCase();
  return typed
    .toLowerCase()
    .split(/\s+/)
    .filter(Boolean)
    .every((word) => all.includes(word));
}

/** What a cell says below its mark: the limit with the least room, or why it is not well. */
export function cellWords(cell: RunCell): string {
  if (cell.refused != null) return cell.refused;
  const it = cell.rating;
  const decides = it != null && it.code === cell.code && it.where === cell.where;
  if (cell.status !== "holds" && cell.brief && !decides) return cell.brief;
  return it ? `${short(it.value)} of ${short(it.limit)} ${it.unit}` : "no limit stated";
}

/** A cell in one line, where there is no mark: in a file, on paper. */
export const cellLine = (cell: RunCell) =>
  cell.refused != null ? `no: ${cell.refused}` : `${cell.status}: ${cellWords(cell)}`;

/** Three digits that count. */
export const short = (value: number) => exact(Number(value.toPrecision(3)), true);

/** Hours as days and hours, for a foot that is read at a glance. */
export function span(hours: number): string {
  if (hours < 1) return `${Math.max(1, Math.round(hours * 60))} min`;
  if (hours < 48) return `${Math.round(hours * 10) / 10} h`;
  return `${Math.floor(hours / 24)} d ${Math.round(hours % 24)} h`;
}

/** What is said of several on one port: how many it carries, how long, without whom, who never stands beside whom. */
export function togetherWords(it: Together, labelOf: (id: string) => string) {
  if (it.carries.length === 0)
    return { said: "none", lasts: "", without: "", never: neverWords(it, labelOf) };
  const inTurn = it.status === "trips" && it.one_after_another !== "trips" ? ", one after another" : "";
  const left = it.left_out.map((out) => labelOf(out.device)).join(", ");
  return {
    said: `${it.carries.length} of ${it.devices.length}${inTurn}`,
    lasts: it.hours == null ? `${span(it.looked_h)} and longer` : `for ${span(it.hours)}`,
    without: left && `without ${left}`,
    never: neverWords(it, labelOf),
  };
}

function neverWords(it: Together, labelOf: (id: string) => string): string {
  const [first, ...more] = it.never;
  if (!first) return "";
  const others = more.length > 0 ? ` (and ${more.length} more pairs)` : "";
  return `never ${labelOf(first[0] ?? "")} beside ${labelOf(first[1] ?? "")}${others}`;
}
