/** The front as a shore with steps: money across, hours up. A pure function of its members, in pixels. */
export interface Shore {
  /** Each member where it stands. */
  marks: { x: number; y: number; at: number; lasts: boolean }[];
  /** The step line over all of them, from the left edge to the right. */
  line: string;
  /** What lies under it. */
  water: string;
  wantedY: number;
  moneyTicks: { x: number; value: number }[];
  hourTicks: { y: number; value: number }[];
}

interface Of {
  hours: number;
  spend: number;
}

/** A round step of which at most `most` fit into a range. */
export function roundStep(range: number, most: number): number {
  const raw = Math.max(range, 1e-9) / most;
  const size = 10 ** Math.floor(Math.log10(raw));
  return [1, 2, 5, 10].map((it) => it * size).find((it) => it >= raw - 1e-12) ?? 10 * size;
}

const ticks = (most: number, count: number) => {
  const step = roundStep(most, count);
  return Array.from({ length: Math.floor(most / step + 1e-9) + 1 }, (_, it) => it * step);
};

export function shoreOf(members: Of[], wanted: number, width: number, height: number): Shore {
  const mostMoney = Math.max(1, ...members.map((it) => it.spend)) * 1.12;
  const mostHours = Math.max(wanted, ...members.map((it) => it.hours)) * 1.08;
  const x = (money: number) => (money / mostMoney) * width;
  const y = (hours: number) => height - (hours / mostHours) * height;
  const marks = members.map((it, at) => ({
    x: x(it.spend),
    y: y(it.hours),
    at,
    lasts: it.hours >= wanted - 1e-9,
  }));
  // What costs more and lasts no longer stands under water: it betters others in weight, draw or room.
  const steps: Of[] = [];
  for (const it of [...members].sort((a, b) => a.spend - b.spend || b.hours - a.hours)) {
    const last = steps[steps.length - 1];
    if (!last || it.hours > last.hours + 1e-9) steps.push(it);
  }
  const first = steps[0];
  let line = first ? `M${x(first.spend)} ${height} V${y(first.hours)}` : "";
  for (const it of steps.slice(1)) line += ` H${x(it.spend)} V${y(it.hours)}`;
  if (first) line += ` H${width}`;
  return {
    marks,
    line,
    water: first ? `${line} V${height} Z` : "",
    wantedY: y(wanted),
    moneyTicks: ticks(mostMoney, 6).map((value) => ({ x: x(value), value })),
    hourTicks: ticks(mostHours, 5).map((value) => ({ y: y(value), value })),
  };
}
