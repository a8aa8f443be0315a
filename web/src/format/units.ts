/** Units by habit: what the plan keeps in metres, mm² and °C, shown and typed in feet, AWG and °F. */
import { habits } from "./habits";

const FOOT = 0.3048;

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
