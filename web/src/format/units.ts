/** Units by habit: what the plan keeps in metres, mm² and °C, shown and typed in feet, AWG and °F. */
import { habits } from "./habits";

export const FOOT = 0.3048;

export const toFeet = (metres: number) => metres / FOOT;
export const fromFeet = (feet: number) => feet * FOOT;
export const toFahrenheit = (celsius: number) => (celsius * 9) / 5 + 32;

/** AWG n has a diameter of 0.127·92^((36−n)/39) mm. */
export function areaOfGauge(gauge: number): number {
  const diameter = 0.127 * 92 ** ((36 - gauge) / 39);
  return (Math.PI * diameter ** 2) / 4;
}

/** The thinnest gauge that is at least as thick as an area in mm²; none where even 4/0 is thinner. */
export function gaugeOfArea(area: number): number | undefined {
  for (let gauge = 40; gauge >= -3; gauge -= 1) if (areaOfGauge(gauge) >= area * (1 - 1e-3)) return gauge;
  return undefined;
}

/** The thickest gauge that is no thicker than an area in mm²: what an area counts as at least. */
export function gaugeWithin(area: number): number {
  for (let gauge = -3; gauge < 40; gauge += 1) if (areaOfGauge(gauge) <= area * (1 + 1e-3)) return gauge;
  return 40;
}

/** `AWG 12`; above 1 they are called 1/0 to 4/0. */
export const gaugeName = (gauge: number) => `AWG ${gauge <= 0 ? `${1 - gauge}/0` : gauge}`;

/** A number as people of the other decimal mark write it; `text` has points for decimals and commas for thousands. */
export function marked(text: string): string {
  if (habits.decimal === "point") return text;
  return text.replace(/[.,]/g, (mark) => (mark === "." ? "," : "."));
}

/** A day, `2026-11-25`, as people write it. */
export function day(iso: string): string {
  const [year, month, date] = iso.slice(0, 10).split("-");
  if (habits.date === "dmy") return `${date}.${month}.${year}`;
  if (habits.date === "mdy") return `${month}/${date}/${year}`;
  return iso.slice(0, 10);
}

/** A wall clock's day and time without a zone, `2026-01-14T16:30`, as people write it. */
export const wall = (iso: string) =>
  `${day(iso)} ${clock(Number(iso.slice(11, 13)) + Number(iso.slice(14, 16)) / 60)}`;

/** A time of day, `16:30`, as people write it. */
export function clockText(text: string): string {
  const parts = /^(\d{1,2}):(\d{2})/.exec(text);
  // The end of a day is none of its hours.
  if (text === "24:00" && habits.clock === "24h") return text;
  return parts ? clock(Number(parts[1]) + Number(parts[2]) / 60) : text;
}

/** Reads a time of day by either clock: `16:30`, `4:30 pm`, `4 pm`. `undefined` where there is no such time. */
export function readClock(text: string): string | undefined {
  const typed = text.trim();
  return typed === "24:00" ? typed : readWall(`2026-01-01 ${typed}`)?.slice(11);
}

/**
 * Reads a day and a time as people write them, by the order of habit; a day that begins with its year, and
 * either clock, are read always. `undefined` where there is no such moment.
 */
export function readWall(text: string): string | undefined {
  const parts =
    /^\s*(\d{1,4})[-./](\d{1,2})[-./](\d{1,4})[\sT,]+(\d{1,2})(?:[:.](\d{2}))?\s*([ap])?\.?m?\.?\s*$/i.exec(
      text,
    );
  if (!parts) return undefined;
  const [a, b, c] = [Number(parts[1]), Number(parts[2]), Number(parts[3])];
  const [year, month, date] =
    parts[1]?.length === 4 ? [a, b, c] : habits.date === "mdy" ? [c, a, b] : [c, b, a];
  const half = parts[6]?.toLowerCase();
  const typed = Number(parts[4]);
  if (half !== undefined && (typed < 1 || typed > 12)) return undefined;
  const hour = half === undefined ? typed : (typed % 12) + (half === "p" ? 12 : 0);
  const minute = Number(parts[5] ?? (half === undefined ? Number.NaN : 0));
  const at = new Date(Date.UTC(year, month - 1, date));
  const real = at.getUTCFullYear() === year && at.getUTCMonth() === month - 1 && at.getUTCDate() === date;
  if (!real || year < 1000 || hour > 23 || !(minute < 60)) return undefined;
  const two = (value: number) => String(value).padStart(2, "0");
  return `${year}-${two(month)}-${two(date)}T${two(hour)}:${two(minute)}`;
}

/** A moment of the clock on the wall here: its day and its time. */
export function moment(iso: string): string {
  const at = new Date(iso);
  if (Number.isNaN(at.getTime())) return iso;
  const two = (value: number) => String(value).padStart(2, "0");
  const local = `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}`;
  return `${day(local)} ${clock(at.getHours() + at.getMinutes() / 60)}`;
}

/** A time of day in hours since midnight, as people write it: `16:30`, or `4:30 pm`. */
export function clock(hours: number): string {
  const minutes = ((Math.round(hours * 60) % 1440) + 1440) % 1440;
  const [hour, minute] = [Math.floor(minutes / 60), String(minutes % 60).padStart(2, "0")];
  if (habits.clock === "24h") return `${String(hour).padStart(2, "0")}:${minute}`;
  return `${((hour + 11) % 12) + 1}:${minute} ${hour < 12 ? "am" : "pm"}`;
}
