/** How a person writes numbers, lengths, temperatures and dates; chosen once, remembered on this machine. */
import { reactive, watch } from "vue";

export interface Habits {
  decimal: "point" | "comma";
  temperature: "c" | "f";
  length: "m" | "ft";
  area: "mm2" | "awg";
  date: "iso" | "dmy" | "mdy";
  clock: "24h" | "12h";
}

const KEY = "ash-pond.habits";
export const CHOICES: { [K in keyof Habits]: [Habits[K], string][] } = {
  decimal: [
    ["point", "1,234.5"],
    ["comma", "1.234,5"],
  ],
  temperature: [
    ["c", "°C"],
    ["f", "°F"],
  ],
  length: [
    ["m", "m"],
    ["ft", "ft"],
  ],
  area: [
    ["mm2", "mm²"],
    ["awg", "AWG"],
  ],
  date: [
    ["iso", "2026-11-25"],
    ["dmy", "25.11.2026"],
    ["mdy", "11/25/2026"],
  ],
  clock: [
    ["24h", "16:30"],
    ["12h", "4:30 pm"],
  ],
};

const first: Habits = {
  decimal: "point",
  temperature: "c",
  length: "m",
  area: "mm2",
  date: "iso",
  clock: "24h",
};

/** What was remembered, each part only where it is one of its choices. */
export function readHabits(text: string | null): Habits {
  const habits = { ...first };
  let found: unknown;
  try {
    found = JSON.parse(text ?? "{}");
  } catch {
    return habits;
  }
  for (const key of Object.keys(CHOICES) as (keyof Habits)[]) {
    const value = (found as Record<string, unknown> | null)?.[key];
    if (CHOICES[key].some(([choice]) => choice === value)) Object.assign(habits, { [key]: value });
  }
  return habits;
}

const store = typeof localStorage === "undefined" ? undefined : localStorage;
export const habits = reactive(readHabits(store?.getItem(KEY) ?? null));
/** The habits in the words that the server knows: it writes its sentences by them. */
export const spoken = () =>
  [habits.decimal, habits.temperature, habits.length, habits.area, habits.clock].join(",");

watch(habits, (now) => store?.setItem(KEY, JSON.stringify(now)));
