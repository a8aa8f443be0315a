/** Where the parts of a battery's picture lie: years to the right, capacity upwards from nothing. */
import type { Battery } from "./useLog";

const WIDTH = 480;
const HEIGHT = 190;
const LEFT = 40;
const RIGHT = 472;
const TOP = 20;
const FLOOR = 164;

/** A step of 1, 2 or 5 by which so much is parted into a few. */
function stepFor(most: number): number {
  const rough = most / 4;
  const scale = 10 ** Math.floor(Math.log10(rough));
  return [1, 2, 5, 10].map((it) => it * scale).find((it) => it >= rough) ?? rough;
}

/** What is drawn over the years: a capacity that falls, or a resistance that rises. */
export interface Course {
  points: Battery["points"];
  before: Battery["points"];
  trend: Battery["points"];
  now: Battery["now"];
  needs: { outage: string; needs?: number | null | undefined }[];
  /** What is high enough to be seen at least. */
  rated: number;
}

/** The resistance of a battery as such a course, in milliohms. */
export function resisting(of: NonNullable<Battery["resistance"]>): Course {
  const milli = (it: Battery["now"]) => ({
    ...it,
    value: it.value * 1000,
    low: it.low * 1000,
    high: it.high * 1000,
  });
  const [points, trend] = [of.points.map(milli), of.trend.map(milli)];
  return {
    points,
    before: of.before.map(milli),
    trend,
    now: milli(of.now),
    needs: [],
    rated: Math.max(...[...points, ...trend].map((it) => it.value), 1),
  };
}

export function aging(of: Course) {
  const all = [...of.before, ...of.points];
  const years = [...all, ...of.trend].map((it) => it.year);
  const first = Math.min(...years, of.now.year);
  const last = Math.max(...years, of.now.year + 1);
  // What is too unsure to say anything makes the picture no higher than three times what is measured.
  const highest = Math.min(Math.max(of.rated, ...all.map((it) => it.high)), 3 * of.rated) * 1.08;
  const x = (year: number) => LEFT + ((year - first) / (last - first)) * (RIGHT - LEFT);
  const y = (value: number) => FLOOR - (Math.min(Math.max(value, 0), highest) / highest) * (FLOOR - TOP);
  const point = (at: number, value: number) => `${x(at).toFixed(1)} ${y(value).toFixed(1)}`;
  const course = of.trend.map((it) => point(it.year, it.value));
  const upper = of.trend.map((it) => point(it.year, it.high));
  const lower = of.trend.map((it) => point(it.year, it.low)).reverse();
  const line = (list: string[]) => (list.length ? `M${list.join("L")}` : "");
  const [begins, ends] = [of.trend[0], of.trend[of.trend.length - 1]];
  const shore =
    begins && ends ? `L${x(ends.year).toFixed(1)} ${FLOOR}L${x(begins.year).toFixed(1)} ${FLOOR}Z` : "";
  const level = stepFor(highest);
  const step = Math.max(1, Math.ceil((last - first) / 9));
  const ticks = [];
  for (let year = Math.ceil(first); year <= last; year += step) ticks.push({ year, x: x(year) });
  const levels = [];
  for (let value = 0; value <= highest; value += level) levels.push({ value, y: y(value) });
  const told = (it: Battery["now"], before: boolean) => ({
    x: x(it.year),
    y: y(it.value),
    low: y(it.low),
    high: y(it.high),
    value: it.value,
    what: it.what,
    before,
  });
  return {
    width: WIDTH,
    height: HEIGHT,
    left: LEFT,
    right: RIGHT,
    top: TOP,
    floor: FLOOR,
    now: x(of.now.year),
    years: ticks,
    levels,
    course: line(course),
    band: course.length ? `${line([...upper, ...lower])}Z` : "",
    water: course.length ? `${line(course)}${shore}` : "",
    points: [...of.before.map((it) => told(it, true)), ...of.points.map((it) => told(it, false))],
    // What lies above all of it has no line: its sentence tells it.
    needs: of.needs
      .filter((it) => it.needs != null && it.needs > 0 && it.needs <= highest)
      .map((it) => ({ outage: it.outage, value: it.needs as number, y: y(it.needs as number) })),
  };
}
