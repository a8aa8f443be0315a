/** Numbers as a person reads them: few digits, the same number of them for the same kind of thing. */
import { habits } from "./habits";
import { marked } from "./units";

function grouped(text: string): string {
  const [whole = "", rest] = text.split(".");
  const parts = whole.replace(/\B(?=(\d{3})+(?!\d))/g, ",");
  return rest === undefined ? parts : `${parts}.${rest}`;
}

/** `digits` behind the point, a comma between thousands, no minus zero. */
export function fixed(value: number, digits: number): string {
  const text = marked(grouped(Math.abs(value).toFixed(digits)));
  return value < 0 && Number(value.toFixed(digits)) !== 0 ? `−${text}` : text;
}

/** Watts: two digits below 1, one below 100, none above. */
export function watts(value: number): string {
  const size = Math.abs(value);
  if (size === 0) return "0";
  return fixed(value, size >= 99.95 ? 0 : size >= 0.95 ? 1 : 2);
}

/** Volts: one digit behind the point, none from 100. */
export function volts(value: number): string {
  return fixed(value, Math.abs(value) >= 99.95 ? 0 : 1);
}

/** Watt-hours: none behind the point from 10. */
export function wattHours(value: number): string {
  return fixed(value, Math.abs(value) >= 9.95 ? 0 : 1);
}

/** Hours: one digit below 20. */
export function hours(value: number): string {
  return fixed(value, value < 19.95 ? 1 : 0);
}

/** A number with four digits that count, for workings; a figure that was entered loses its empty zeros. */
export function exact(value: number, entered = false): string {
  const size = Math.abs(value);
  if (size === 0) return "0";
  if (size < 0.001) return value.toExponential(2).replace("-", "−");
  const digits = Math.min(6, Math.max(0, 3 - Math.floor(Math.log10(size))));
  const text = fixed(value, digits);
  const mark = habits.decimal === "comma" ? "," : ".";
  if (!entered || !text.includes(mark)) return text;
  return text.replace(/0+$/, "").replace(/[.,]$/, "");
}

/** A number as it stands in a field: all of its digits, the decimal mark of habit, nothing between thousands. */
export function plain(value: number): string {
  const text = String(Number(value.toPrecision(10)));
  return habits.decimal === "comma" ? text.replace(".", ",") : text;
}

/** Reads what a person typed: a point or a comma for the decimals. `undefined` where it is no number. */
export function read(text: string): number | undefined {
  const typed = text.trim().replace(",", ".").replace("−", "-");
  return /^-?\d+(\.\d*)?$|^-?\.\d+$/.test(typed) ? Number(typed) : undefined;
}

/** A value with what it may be off: that with two digits, and the value with as many behind the point. */
export function withHalf(value: number, plusMinus: number): string {
  if (!(plusMinus > 0)) return exact(value);
  const places = Math.min(9, Math.max(0, 1 - Math.floor(Math.log10(plusMinus))));
  return `${fixed(value, places)} ± ${fixed(plusMinus, places)}`;
}
