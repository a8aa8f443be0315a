/** What is lost at a weir, by what it comes with. */

export interface Loss {
  /** For being on; with the load; with the square of the load. */
  kind: "idle" | "load" | "squared";
  watts: number;
  /** The key of its working. */
  key: string;
}

/** The words of each kind, as they stand at the foot of its slot. */
export const LOSS_WORDS = {
  idle: "switched on",
  load: "with load",
  squared: "squared",
  lead: "lead",
} as const;

interface Parts {
  loss_idle_w: number;
  loss_proportional_w: number;
  loss_quadratic_w: number;
}

/** The losses of a converter or a port; what nobody could read is left out. */
export function lossesOf(key: string, of: Parts): Loss[] {
  const all: Loss[] = [
    { kind: "idle", watts: of.loss_idle_w, key: `${key}.loss_idle_w` },
    { kind: "load", watts: of.loss_proportional_w, key: `${key}.loss_proportional_w` },
    { kind: "squared", watts: of.loss_quadratic_w, key: `${key}.loss_quadratic_w` },
  ];
  return all.filter((it) => it.watts >= (it.kind === "squared" ? 0.005 : 1e-9));
}
