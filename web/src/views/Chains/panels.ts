/** What opens below the picture, by its key. */
export type Panel = "build" | "findings" | "gauges" | "compare" | "walk";
export const PANELS: [Panel, string][] = [
  ["build", "b build"],
  ["findings", "f findings"],
  ["gauges", "g gauge boards"],
  ["compare", "c compare"],
  ["walk", "v walk with a meter"],
];
