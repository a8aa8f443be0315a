/** Money over years as steps: where each candidate's line runs, and where its name stands at its end. */
import { scaleLinear } from "d3-scale";
import { line } from "d3-shape";
import type { Schemas } from "../../api/client";

/** A candidate that runs the devices. */
export type Runs = Schemas["Candidate"] & { member: NonNullable<Schemas["Candidate"]["member"]> };

export interface Steps {
  lines: {
    item: string;
    name: string;
    path: string;
    endX: number;
    endY: number;
    labelY: number;
    total: number;
  }[];
  yearTicks: { x: number; value: number }[];
  moneyTicks: { y: number; value: number }[];
}

/** Least distance between two names, in the picture's units. */
const APART = 16;

export function stepsOf(
  candidates: Schemas["Candidate"][],
  years: number,
  wide: number,
  high: number,
): Steps {
  const known = candidates.filter((it) => it.spent.length > 1);
  const most = Math.max(1, ...known.flatMap((it) => it.spent.map((at) => at.spent)));
  const x = scaleLinear().domain([0, years]).range([0, wide]);
  const y = scaleLinear().domain([0, most]).range([high, 0]);
  const draw = line<Schemas["Spent"]>()
    .x((it) => x(it.year))
    .y((it) => y(it.spent));
  const lines = known
    .map((it) => {
      const last = it.spent[it.spent.length - 1] ?? { year: years, spent: 0 };
      const endY = y(last.spent);
      return {
        item: it.item,
        name: it.label,
        path: draw(it.spent) ?? "",
        endX: x(last.year),
        endY,
        labelY: endY,
        total: last.spent,
      };
    })
    .sort((a, b) => a.endY - b.endY);
  // Names that would stand on each other are moved apart, downwards first and then up from the ground.
  let above = -Infinity;
  for (const it of lines) above = it.labelY = Math.max(it.labelY, above + APART);
  let ground = high;
  for (const it of [...lines].reverse()) {
    it.labelY = Math.min(it.labelY, ground);
    ground = it.labelY - APART;
  }
  return {
    lines,
    yearTicks: x.ticks(Math.min(10, years)).map((value) => ({ x: x(value), value })),
    moneyTicks: y.ticks(4).map((value) => ({ y: y(value), value })),
  };
}
