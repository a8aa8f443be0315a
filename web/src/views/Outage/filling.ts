/** What fills a store, as shapes and settings. */
import type { Arrangement, Feed, Plan, Schemas } from "../../api/client";

export type WayIn = Schemas["WayIn"];
export type Offer = Schemas["FillOffer"];

/** One thing that can be set while a store fills. */
export interface Setting {
  /** The input as `source/input`, or the vehicle. */
  place: string;
  name: string;
  now: string;
  choices: [value: string, words: string][];
}

/** The modes of a store's inputs, and of the vehicles that fill it whether they idle or drive. */
export function settings(plan: Plan, store: string, ways: WayIn[]): Setting[] {
  const sources = plan.kit.sources;
  const source = sources.find((it) => it.id === store);
  const inputs = (source?.inputs ?? []).filter((it) => (it.modes ?? []).length > 0);
  const byInput = inputs.map((it): Setting => {
    const place = `${store}/${it.id}`;
    const now = ways.find((way) => way.input === place)?.mode ?? "";
    const modes = (it.modes ?? []).map((mode): [string, string] => [mode.id, mode.label]);
    return { place, name: `its ${it.id} input`, now, choices: [["", "as it is"], ...modes] };
  });
  const vehicles = sources.filter(
    (it) => it.alternator?.full_a != null && ways.some((way) => way.chain[0] === it.id),
  );
  const byVehicle = vehicles.map((it): Setting => ({
    place: it.id,
    name: it.label,
    now: "idle",
    choices: [
      ["idle", "idling"],
      ["full", "on the road"],
    ],
  }));
  return [...byInput, ...byVehicle];
}

/** An arrangement with the feeds of an offer put in. */
export function wiredWith(way: Arrangement, feeds: Feed[]): Arrangement {
  return { ...way, feeds: [...way.feeds, ...feeds] };
}

/** One way in as shapes: what is taken, what is lost on the way, what the input lets through. */
export interface Band {
  way: WayIn;
  /** Taken where its chain begins, W. */
  takenW: number;
  /** Height of what is taken and of what comes in, px. */
  taken: number;
  arrives: number;
  top: number;
}

/** What a way brings, when it first brings something; where it never does, at the beginning. */
export function firstFlow(way: WayIn): { watts: number; limitedBy: string; from?: number } {
  const later = way.watts < 0.5 ? way.limits.find((it) => it.watts >= 0.5) : undefined;
  return later
    ? { watts: later.watts, limitedBy: later.limited_by, from: later.soc }
    : { watts: way.watts, limitedBy: way.limited_by };
}

/** All ways on one scale, each at least as high as can be seen. */
export function bands(ways: WayIn[], most: number, gap: number): Band[] {
  // As much is lost on the way all along: what was taken over what came in.
  const takenOf = (it: WayIn) =>
    it.input_wh > 0 ? (firstFlow(it).watts * it.taken_wh) / it.input_wh : firstFlow(it).watts;
  const highest = Math.max(1, ...ways.map(takenOf));
  let top = 0;
  return ways.map((way) => {
    const takenW = takenOf(way);
    const high = (watts: number) => (watts > 0 ? Math.max(2, (watts / highest) * most) : 0);
    const band = { way, takenW, taken: high(takenW), arrives: high(firstFlow(way).watts), top };
    top += Math.max(band.taken, 12) + gap;
    return band;
  });
}
