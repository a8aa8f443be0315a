/** Where everything of a watch stands in its picture: hours and charge to pixels. */
import type { Schemas } from "../../api/client";
import { x, type Frame } from "../Outage/timeline";
import type { Told } from "./useWatch";

type Course = Schemas["Course"];

/**
 * The store that the picture is about: the one that the device of the headline hangs on, whose range stands above
 * it; where nothing is on, the one that comes to its floor first.
 */
export function storeOf(told: Told): string | undefined {
  if (told.estimate.courses[told.headline.store]) return told.headline.store;
  const ends = told.stores.map((store) => {
    const course = told.estimate.courses[store.id];
    const end = course?.middle.find((it) => (it[0] ?? 0) > told.at_h && (it[1] ?? 1) <= course.floor + 0.005);
    return { id: store.id, end: end?.[0] ?? Infinity };
  });
  return ends.sort((a, b) => a.end - b.end)[0]?.id;
}

/** The switches that buy more than a minute, what buys most first. */
export const worthDropping = (told: Told) => told.drops.filter((it) => it.wins_h > 1 / 60);

export interface Shape {
  past: string;
  ahead: string;
  band: string;
  water: string;
  floor: number;
  dots: { x: number; y: number }[];
}

/** The charge of a store as shapes, in a frame of `top` (full) to `bottom` (empty), px. */
export function shape(
  course: Course,
  readings: [number, number][],
  now: number,
  frame: Frame,
  top: number,
  bottom: number,
): Shape {
  const y = (soc: number) => bottom - Math.min(1, Math.max(0, soc)) * (bottom - top);
  const at = (point: readonly [number, number]) =>
    `${x(frame, point[0]).toFixed(1)} ${y(point[1]).toFixed(1)}`;
  const line = course.middle
    .map((it) => [it[0] ?? 0, it[1] ?? 0] as const)
    .filter(([h]) => h <= frame.to + 0.5);
  const here = between(line, now);
  const past = [...line.filter(([h]) => h < now), [now, here] as const];
  const ahead = [[now, here] as const, ...line.filter(([h]) => h > now)];
  const band = course.band
    .map((it) => [it[0] ?? 0, it[1] ?? 0, it[2] ?? 0] as const)
    .filter(([h]) => h <= frame.to + 0.5);
  const path = (points: readonly (readonly [number, number])[]) =>
    points.length ? `M${points.map(at).join(" L")}` : "";
  const edge = [
    ...band.map(([h, low]) => [h, low] as const),
    ...[...band].reverse().map(([h, , high]) => [h, high] as const),
  ];
  return {
    past: path(past),
    ahead: path(ahead),
    band: edge.length > 2 ? `${path(edge)} Z` : "",
    water:
      past.length > 1
        ? `${path(past)} L${x(frame, now).toFixed(1)} ${bottom} L${x(frame, frame.from).toFixed(1)} ${bottom} Z`
        : "",
    floor: y(course.floor),
    dots: readings.map(([h, percent]) => ({ x: x(frame, h), y: y(percent / 100) })),
  };
}

function between(line: readonly (readonly [number, number])[], at: number): number {
  const after = line.findIndex(([h]) => h >= at);
  const b = line[after === -1 ? line.length - 1 : after];
  const a = line[Math.max(0, (after === -1 ? line.length : after) - 1)];
  if (!a || !b) return 0;
  const part = b[0] > a[0] ? (at - a[0]) / (b[0] - a[0]) : 0;
  return a[1] + (b[1] - a[1]) * Math.min(1, Math.max(0, part));
}
