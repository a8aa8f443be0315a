/** What opens below the picture, by its key. */
export type Panel = "build" | "findings" | "gauges" | "compare" | "switches" | "walk";
export const PANELS: [Panel, string][] = [
  ["build", "b build"],
  ["findings", "f findings"],
  ["gauges", "g gauge boards"],
  ["compare", "c compare"],
  ["switches", "s switches"],
  ["walk", "v walk with a meter"],
];
