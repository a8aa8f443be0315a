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

/** The nearest whole gauge of an area in mm². */
export function gaugeOfArea(area: number): number {
  const diameter = Math.sqrt((4 * area) / Math.PI);
  return Math.round(36 - (39 * Math.log(diameter / 0.127)) / Math.log(92));
}

const few = (value: number) => Number(value.toPrecision(value < 10 ? 2 : 3));

/** A number as people of the other decimal mark write it; `text` has points for decimals and commas for thousands. */
export function marked(text: string): string {
  if (habits.decimal === "point") return text;
  return text.replace(/[.,]/g, (mark) => (mark === "." ? "," : "."));
}

const NUMBER = "[-−]?\\d[\\d,]*(?:\\.\\d+)?";
const plain = (text: string) => Number(text.replace(/,/g, "").replace("−", "-"));

/** A sentence of the server in the units and decimal marks of habit. */
export function told(sentence: string): string {
  let text = sentence;
  if (habits.temperature === "f")
    text = text.replace(new RegExp(`(${NUMBER}) °C`, "g"), (_, it: string) =>
      `${Math.round(toFahrenheit(plain(it)))} °F`.replace("-", "−"),
    );
  if (habits.length === "ft")
    text = text.replace(
      new RegExp(`(${NUMBER}) m(?![\\w²/])`, "g"),
      (_, it: string) => `${few(toFeet(plain(it)))} ft`,
    );
  if (habits.area === "awg")
    text = text.replace(
      new RegExp(`(${NUMBER}) mm²`, "g"),
      (_, it: string) => `AWG ${gaugeOfArea(plain(it))}`,
    );
  if (habits.decimal === "point") return text;
  return text.replace(new RegExp(NUMBER, "g"), marked);
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
  return `${day(local)} ${two(at.getHours())}:${two(at.getMinutes())}`;
}
