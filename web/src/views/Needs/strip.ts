/** Where the steps of a phase strip stand: watts up, time along, long parts broken. */
import type { Schemas } from "../../api/client";

export type Step = Schemas["Step"];

export interface Bar {
  step: Step;
  x: number;
  width: number;
  height: number;
  /** Words below the bar. */
  words: string;
}

/** The least that running and busy have of the strip, and the most that a start or a stop has, px. */
const MIDDLE = 0.5;
const MOST_TIMED = 62;
/** The least share of the middle that a busy time is drawn with, so that its words have room. */
const LEAST = 0.24;

/** How wide a timed step wants to be: a minute twice a second, an hour thrice. */
function weight(seconds: number | null | undefined): number {
  return 1 + Math.log10(1 + (seconds ?? 30) / 5);
}

/** Lays the steps of a device out over `width` and `height`, px. The highest step reaches the top. */
export function layStrip(steps: Step[], width: number, height: number): Bar[] {
  const most = Math.max(...steps.map((step) => step.watts), 1e-9);
  const timed = steps.filter((step) => step.when === "starting" || step.when === "stopping");
  const total = timed.reduce((sum, step) => sum + weight(step.seconds), 0);
  const timedWidth = Math.min(timed.length * MOST_TIMED, width * (1 - MIDDLE));
  const middle = width - timedWidth;
  let x = 0;
  return steps.map((step) => {
    const isTimed = step.when === "starting" || step.when === "stopping";
    const share = isTimed
      ? ((width - middle) * weight(step.seconds)) / total
      : middle * Math.max(step.share ?? 1, LEAST) * scale(steps);
    const bar = {
      step,
      x,
      width: share,
      height: Math.max(2, (height * step.watts) / most),
      words: words(step),
    };
    x += share;
    return bar;
  });
}

/** Small shares are drawn wider than they are; this makes the middle add up again. */
function scale(steps: Step[]): number {
  const middle = steps.filter((step) => step.when === "running" || step.when === "busy");
  const sum = middle.reduce((total, step) => total + Math.max(step.share ?? 1, LEAST), 0);
  return sum > 0 ? 1 / sum : 1;
}

function words(step: Step): string {
  const seconds = step.seconds == null ? "" : ` ${Number(step.seconds.toPrecision(3))} s`;
  switch (step.when) {
    case "starting":
      return `start${seconds}`;
    case "stopping":
      return `stop${seconds}`;
    case "busy":
      return step.share == null ? "busy" : `busy ${percent(step.share)}`;
    default:
      return "run";
  }
}

function percent(share: number): string {
  const value = share * 100;
  return `${value >= 9.5 || value === 0 ? value.toFixed(0) : Number(value.toPrecision(1))} %`;
}
