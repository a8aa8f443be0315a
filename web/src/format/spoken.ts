/** Amounts with their units as they are typed and shown by habit; the plan keeps metres, °C and mm². Pure functions. */
import { habits } from "./habits";
import { plain, read } from "./number";
import { areaOfGauge, FOOT, gaugeOfArea } from "./units";

/** How many of the kept unit one of the typed unit is. */
const KNOWN: Record<string, Record<string, number>> = {
  m: { m: 1, cm: 0.01, mm: 0.001, ft: FOOT, feet: FOOT, foot: FOOT, "'": FOOT, "′": FOOT },
  V: { V: 1, v: 1, mV: 0.001 },
  A: { A: 1, a: 1, mA: 0.001, ma: 0.001 },
  W: { W: 1, w: 1, mW: 0.001, kW: 1000 },
  Wh: { Wh: 1, wh: 1, kWh: 1000 },
  Ah: { Ah: 1, ah: 1, mAh: 0.001 },
  h: { h: 1, min: 1 / 60, d: 24, s: 1 / 3600 },
  min: { min: 1, h: 60, s: 1 / 60 },
  s: { s: 1, ms: 0.001, min: 60, h: 3600 },
  ms: { ms: 1, s: 1000 },
  Ω: { Ω: 1, ohm: 1, mΩ: 0.001 },
};
const FAHRENHEIT = new Set(["°F", "F"]);
const CELSIUS = new Set(["°C", "C"]);

/** Whether it is a unit that is known here. */
export const isUnit = (text: string) =>
  text === "%" || FAHRENHEIT.has(text) || CELSIUS.has(text) || Object.values(KNOWN).some((it) => text in it);

/** The unit that is shown and typed by habit, for one that is kept. */
export function unitOf(kept: string): string {
  if (kept === "m" && habits.length === "ft") return "ft";
  if (kept === "°C" && habits.temperature === "f") return "°F";
  return kept;
}

/** A kept value in the unit of habit. A difference of temperatures has no zero of its own. */
export function toHabit(value: number, kept: string, difference = false): number {
  const unit = unitOf(kept);
  if (unit === kept) return value;
  return unit === "ft" ? value / FOOT : (value * 9) / 5 + (difference ? 0 : 32);
}

/** Back from the unit of habit to the kept one. */
export function fromHabit(value: number, kept: string, difference = false): number {
  const unit = unitOf(kept);
  if (unit === kept) return value;
  return unit === "ft" ? value * FOOT : ((value - (difference ? 0 : 32)) * 5) / 9;
}

/** What stands in a field: in the unit of habit, without more digits than a tape or a thermometer has. */
export function shownIn(value: number, kept: string, difference = false): string {
  if (unitOf(kept) === kept) return plain(value);
  return plain(Number(toHabit(value, kept, difference).toFixed(1)));
}

/**
 * Reads a number with or without its unit, in the kept unit; bare, it is in the unit of habit. `undefined` where
 * it is no number, or its unit is one of something else.
 */
export function readIn(text: string, kept: string, difference = false): number | undefined {
  const parts = /^\s*([-−+]?[\d.,]+)\s*([^\s\d].*)?$/.exec(text);
  const number = read(parts?.[1] ?? text);
  if (number === undefined) return undefined;
  const unit = parts?.[2]?.trim() ?? "";
  if (unit === "") return fromHabit(number, kept, difference);
  if (kept === "°C") {
    if (CELSIUS.has(unit)) return number;
    return FAHRENHEIT.has(unit) ? ((number - (difference ? 0 : 32)) * 5) / 9 : undefined;
  }
  const factor = KNOWN[kept]?.[unit] ?? (unit === kept ? 1 : undefined);
  return factor === undefined ? undefined : number * factor;
}

/** The size of a lead: an area, or a gauge, whose 1/0 to 4/0 are 0 to −3. */
export type Size = { area_mm2: number } | { awg: number };

/** What is typed for the size of a lead: `2.5`, `4 mm²`, `12 AWG`, `AWG 12`, `1/0`. */
export function readSize(text: string, gauges: boolean): Size | undefined {
  const lower = text.toLowerCase();
  const metric = /mm\s*(²|2)/.test(lower);
  const called = /awg|ga(uge)?\b/.test(lower);
  const bare = lower.replace(/mm\s*(²|2)|awg|gauge|ga\b/g, " ").trim();
  if (metric && called) return undefined;
  const noughts = /^(\d)\s*\/\s*0$/.exec(bare);
  if (!metric && (called || gauges || noughts)) {
    const gauge = noughts ? 1 - Number(noughts[1]) : /^\d+$/.test(bare) ? Number(bare) : undefined;
    return gauge !== undefined && gauge >= -3 && gauge <= 40 ? { awg: gauge } : undefined;
  }
  const area = read(bare);
  return area !== undefined && area > 0 ? { area_mm2: area } : undefined;
}

/** A gauge as it is called without its unit: `12`, `1/0`. */
export const gaugeText = (gauge: number) => (gauge <= 0 ? `${1 - gauge}/0` : plain(gauge));

/** The size of a lead as it stands in a field, with its unit: as given, or the gauge at least as thick by habit. */
export function sizeText(size: { area_mm2?: number | undefined; awg?: number | undefined }): {
  text: string;
  unit: string;
} {
  const own = size.awg;
  const area = size.area_mm2;
  const gauge = own ?? (habits.area === "awg" && area !== undefined ? gaugeOfArea(area) : undefined);
  if (gauge !== undefined) return { text: gaugeText(gauge), unit: "AWG" };
  return { text: area === undefined ? "" : plain(area), unit: "mm²" };
}

/** The area of a size, mm². */
export const areaOf = (size: Size) => ("awg" in size ? areaOfGauge(size.awg) : size.area_mm2);
