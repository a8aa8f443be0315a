import type { Schemas } from "../../api/client";

/** What must be bought for an answer: boxes, and lengths of lead. */
export const bought = (it: Schemas["FrontMember"]) => [...it.buys, ...it.leads];

/** What lies across: money to spend, or where nothing costs anything what is drawn a day. */
export type Across = "spend" | "drawn_wh_day";

/** The front as a shore with steps: money across, hours up. A pure function of its members, in pixels. */
export interface Shore {
  across: Across;
  /** What is bettered, under water. */
  under: { x: number; y: number; at: number }[];
  /** Each member where it stands. */
  marks: { x: number; y: number; at: number; lasts: boolean }[];
  /** The step line over all of them, from the left edge to the right. */
  line: string;
  /** What lies under it. */
  water: string;
  wantedY: number;
  acrossTicks: { x: number; value: number }[];
  hourTicks: { y: number; value: number }[];
}

interface Of {
  hours: number;
  spend: number;
  drawn_wh_day: number;
}

/** A round step of which at most `most` fit into a range. */
export function roundStep(range: number, most: number): number {
  const raw = Math.max(range, 1e-9) / most;
  const size = 10 ** Math.floor(Math.log10(raw));
  return [1, 2, 5, 10].map((it) => it * size).find((it) => it >= raw - 1e-12) ?? 10 * size;
}

const ticks = (least: number, most: number, count: number) => {
  const step = roundStep(most - least, count);
  const first = Math.ceil(least / step - 1e-9);
  return Array.from({ length: Math.floor(most / step + 1e-9) - first + 1 }, (_, it) => (first + it) * step);
};

export function shoreOf(members: Of[], under: Of[], wanted: number, width: number, height: number): Shore {
  const all = [...members, ...under];
  const across: Across = all.length > 1 && all.every((it) => it.spend === 0) ? "drawn_wh_day" : "spend";
  const values = all.map((it) => it[across]);
  const least = across === "spend" || values.length === 0 ? 0 : Math.min(...values) * 0.9;
  const most = Math.max(least + 1, ...values.map((it) => it + (it - least) * 0.12));
  const mostHours = Math.max(wanted, ...all.map((it) => it.hours)) * 1.08;
  const x = (value: number) => ((value - least) / (most - least)) * width;
  const y = (hours: number) => height - (hours / mostHours) * height;
  const marks = members.map((it, at) => ({
    x: x(it[across]),
    y: y(it.hours),
    at,
    lasts: it.hours >= wanted - 1e-9,
  }));
  // What costs more and lasts no longer stands under water: it betters others in weight, draw or room.
  const steps: Of[] = [];
  for (const it of [...members].sort((a, b) => a[across] - b[across] || b.hours - a.hours)) {
    const last = steps[steps.length - 1];
    if (!last || it.hours > last.hours + 1e-9) steps.push(it);
  }
  const first = steps[0];
  let line = first ? `M${x(first[across])} ${height} V${y(first.hours)}` : "";
  for (const it of steps.slice(1)) line += ` H${x(it[across])} V${y(it.hours)}`;
  if (first) line += ` H${width}`;
  return {
    across,
    marks,
    under: under.map((it, at) => ({ x: x(it[across]), y: y(it.hours), at })),
    line,
    water: first ? `${line} V${height} Z` : "",
    wantedY: y(wanted),
    acrossTicks: ticks(least, most, 6).map((value) => ({ x: x(value), value })),
    hourTicks: ticks(0, mostHours, 5).map((value) => ({ y: y(value), value })),
  };
}
