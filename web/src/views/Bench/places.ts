/** Where the meter of a capacity test may stand. Pure functions. */
import type { Plan, Schemas } from "../../api/client";

type Source = Plan["kit"]["sources"][number];

interface MeterPlace {
  key: string;
  words: string;
  /** The id of the port, or `terminals`. */
  place: string;
  /** Whether the meter counts watt-hours instead of showing volts and amperes. */
  counted: boolean;
}

const key = (place: string, counted: boolean) => `${place}${counted ? "|counted" : ""}`;

/** The terminals, and each port of a source; where the current alternates only watt-hours tell anything. */
export function meterPlaces(source: Source | undefined): MeterPlace[] {
  const at = (place: string, words: string, counted: boolean): MeterPlace => ({
    key: key(place, counted),
    words: `${words}, ${counted ? "watt-hours counted" : "volts and amperes"}`,
    place,
    counted,
  });
  const ports = (source?.ports ?? []).flatMap((it) => {
    const words = `behind ${it.label ?? it.id}`;
    const counted = at(it.id, words, true);
    return it.current === "ac" ? [counted] : [at(it.id, words, false), counted];
  });
  return [at("terminals", "at its terminals", false), at("terminals", "at its terminals", true), ...ports];
}

/** The place that a test names. */
export function placeOf(test: Schemas["Test"], source: Source | undefined): string {
  const place = test.place ?? "terminals";
  const alternates = source?.ports?.some((it) => it.id === place && it.current === "ac") ?? false;
  return key(place, alternates || test.counted === true);
}
