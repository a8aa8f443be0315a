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

/** A share as a percentage, to the digit that a person would name. */
export const percent = (share: number) => `${plain(Number((share * 100).toPrecision(2)))} %`;

/** A number with four digits that count, for workings; a figure that was entered loses its empty zeros. */
export function exact(value: number, entered = false): string {
  const size = Math.abs(value);
  if (size === 0) return "0";
  // What is left of a sum by rounding is nothing.
  if (size < 1e-9) return "0";
  const counts = size < 0.001 ? 2 : 3;
  const digits = Math.min(12, Math.max(0, counts - Math.floor(Math.log10(size))));
  const text = fixed(value, digits);
  const mark = habits.decimal === "comma" ? "," : ".";
  if (!entered || !text.includes(mark)) return text;
  return text.replace(/0+$/, "").replace(/[.,]$/, "");
}

/**
 * A number as it stands in a field: as it was typed, with the decimal mark of habit and nothing between thousands. What
 * has more digits than anybody types was computed, and shows four that count.
 */
export function plain(value: number): string {
  const whole = Number(value.toPrecision(7));
  const short =
    String(whole).replace(/^-?0?\.?0*|\./g, "").length <= 6 ? whole : Number(value.toPrecision(4));
  const text = Math.abs(short) < 1e-6 ? short.toFixed(9).replace(/\.?0+$/, "") : String(short);
  return habits.decimal === "comma" ? text.replace(".", ",") : text;
}

/**
 * Reads what a person typed, by the marks of habit: with a decimal point `1,280` is 1280, with a decimal comma
 * it is 1.28. The other mark parts thousands, and where it cannot (`0,5`) it is taken for the decimals.
 * `undefined` where it is no number.
 */
export function read(text: string): number | undefined {
  const typed = text.trim().replace("−", "-");
  const [point, thousands] = habits.decimal === "point" ? [".", ","] : [",", "."];
  const groups = new RegExp(`^-?[1-9]\\d{0,2}(\\${thousands}\\d{3})+(\\${point}\\d*)?$`);
  const bare = groups.test(typed) ? typed.replaceAll(thousands, "") : typed;
  const plainly = bare.replace(",", ".");
  return /^-?\d+(\.\d*)?$|^-?\.\d+$/.test(plainly) ? Number(plainly) : undefined;
}

/** A value with what it may be off, both to the digits that this deserves, as every sentence says it. */
export function withHalf(value: number, plusMinus: number): string {
  if (!(plusMinus > 0)) return exact(value);
  const behind = told(plusMinus);
  return `${fixed(value, behind)} ± ${fixed(plusMinus, behind)}`;
}

/** Digits behind the point where a ± is told: two of it that count where it begins with a 1, else one. */
function told(plusMinus: number): number {
  const place = Math.floor(Math.log10(plusMinus));
  return Math.min(9, Math.max(0, plusMinus / 10 ** place < 1.95 ? 1 - place : -place));
}

/** Digits behind the point in a field, where what was typed must not be lost: two of a ± count. */
export const places = (plusMinus: number) => Math.min(9, Math.max(0, 1 - Math.floor(Math.log10(plusMinus))));
