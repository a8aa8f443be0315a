/** How a device stands: its own voltage, or what trips on its way and takes it along. */
import type { Status, Way } from "../../api/client";

export interface Verdict {
  status: Status;
  /** In a word or two. */
  word: string;
  sentence: string;
}

/** None for what is no device of the way. */
export function verdictOf(way: Way, device: string): Verdict | undefined {
  const own = way.devices.find((it) => it.device === device);
  if (!own) return undefined;
  const trips = way.trips_with[device];
  if (trips !== undefined)
    return { status: "trips", word: own.status === "trips" ? "trips" : "dark with it", sentence: trips };
  return { status: own.status, word: own.status, sentence: own.sentence };
}
