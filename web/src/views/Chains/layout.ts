/** Where everything of a fall stands. A pure function of its numbers and the room it has, in CSS pixels. */
import type { Chain, Reach, Weir } from "./chain";
import type { Loss } from "./losses";

export interface Point {
  x: number;
  y: number;
}

/** Where a lead stands. */
export interface ReachPlace {
  reach: Reach;
  from: Point;
  to: Point;
  /** Height of the water at both ends. */
  heights: [number, number];
  /** Where its board stands; none where the lead is too short on screen for one. */
  boardX: number | undefined;
}

/** A slot down which power is lost. */
export interface Slot {
  kind: Loss["kind"] | "lead";
  x: number;
  y: number;
  width: number;
  height: number;
  watts: number;
  key: string;
  /** Where its words stand. */
  label: Point;
}

/** Where a weir stands. */
export interface WeirPlace {
  weir: Weir;
  from: Point;
  to: Point;
  heights: [number, number];
  crestX: number;
}

/** A fall, laid out. */
export interface Fall {
  chain: Chain;
  width: number;
  height: number;
  basin: { x: number; y: number; width: number; height: number };
  reaches: ReachPlace[];
  weirs: WeirPlace[];
  slots: Slot[];
  /** Outlines as SVG paths. */
  water: string;
  surface: string;
  bed: string;
  ground: string;
  end: Point;
  endHeight: number;
}

export const ROOM = {
  /** Above the water: heading and gauge boards. */
  head: 112,
  /** The same without boards. */
  bareHead: 52,
  /** Below the bed: slots and their words. */
  foot: 92,
  /** A line of words more, where a weir loses in three ways. */
  line: 16,
  basin: 104,
  smallBasin: 84,
  weir: 60,
  slot: 40,
  /** Pixels of slope for a hundredth of the voltage lost. */
  perHundredth: 3,
  mostSlope: 42,
  /** Shortest lead on screen that has room for a gauge board of its own. */
  board: 320,
  /** Shortest lead on screen that has room for a slot of its own and its words. */
  leadWords: 250,
  /** Smallest height of running water that can be seen, and its words read beside it. */
  thin: 3,
} as const;

const LADDER = [
  0.02, 0.03, 0.05, 0.08, 0.1, 0.15, 0.2, 0.3, 0.4, 0.6, 0.8, 1, 1.5, 2, 3, 4, 5, 6, 7, 8, 9, 10, 12, 15, 20,
  30, 40,
];

/** What a weir needs across: the ramp, and its slots side by side. */
function weirWidth(weir: Weir, scale: number): number {
  const slot = (watts: number) => (watts > 0 ? Math.max(2, watts * scale) + 4 : 0);
  return Math.max(ROOM.weir, weir.losses.reduce((sum, it) => sum + slot(it.watts), 0) + 24);
}

function slope(reach: Reach): number {
  return Math.min(ROOM.mostSlope, reach.dropShare * 100 * ROOM.perHundredth);
}

function step(weir: Weir, scale: number): number {
  return ((weir.inW - weir.outW) * scale) / 2 + 5;
}

/** Room above the water: less where no gauge board stands there. */
export function headOf(chain: Chain, compact: boolean): number {
  const boarded = chain.stages.some((it) => it.board && (it.kind === "weir" || !compact));
  return boarded ? ROOM.head + (compact ? 14 : 0) : ROOM.bareHead;
}

/** Height of a fall at a scale of pixels per watt. */
export function heightOf(chain: Chain, scale: number, compact = false): number {
  let sunk = 0;
  let lowest = chain.drawnW * scale;
  for (const stage of chain.stages) {
    sunk += stage.kind === "reach" ? slope(stage) : step(stage, scale);
    const height = stage.kind === "reach" ? stage.farW : stage.outW;
    lowest = Math.max(lowest, sunk + height * scale);
  }
  const words = Math.max(0, ...chain.stages.map((it) => (it.kind === "weir" ? it.losses.length - 2 : 0)));
  return headOf(chain, compact) + lowest + ROOM.foot + words * ROOM.line;
}

/** The largest scale of a fixed ladder, in pixels per watt, at which all falls fit into `height` together. */
export function commonScale(chains: Chain[], height: number, compact = false): number {
  const fits = (scale: number) =>
    chains.reduce((sum, chain) => sum + heightOf(chain, scale, compact), 0) <= height;
  return [...LADDER].reverse().find(fits) ?? LADDER[0] ?? 0.02;
}

/** A round number of watts for the scale bar, about 60 pixels long. */
export function barWatts(scale: number): number {
  const wanted = 60 / scale;
  const power = 10 ** Math.floor(Math.log10(wanted));
  return [5, 2, 1].map((it) => it * power).find((it) => it <= wanted) ?? power;
}

/** Lays a chain out in `width` pixels at `scale` pixels per watt. */
export function layFall(chain: Chain, width: number, scale: number, compact = false): Fall {
  const basin = compact ? ROOM.smallBasin : ROOM.basin;
  const head = headOf(chain, compact);
  const height = heightOf(chain, scale, compact);
  const weirs = chain.stages.filter((it) => it.kind === "weir");
  const reaches = chain.stages.length - weirs.length;
  const taken = weirs.reduce((sum, it) => sum + weirWidth(it, scale), 0);
  const reachWidth = Math.max(12, (width - basin - taken) / Math.max(1, reaches));
  const thick = (watts: number) => (watts > 0 ? Math.max(ROOM.thin, watts * scale) : 0);
  const fall: Fall = {
    chain,
    width,
    height,
    basin: { x: 0, y: head - 34, width: basin, height: height - head + 34 - 18 },
    reaches: [],
    weirs: [],
    slots: [],
    water: "",
    surface: "",
    bed: "",
    ground: "",
    end: { x: width, y: 0 },
    endHeight: 0,
  };
  let at: Point = { x: basin, y: head };
  let level = thick(chain.drawnW);
  const top: string[] = [`M${at.x} ${at.y}`];
  const under: Point[] = [{ x: at.x, y: at.y + level }];
  const curve: string[] = [];
  for (const stage of chain.stages) {
    if (stage.kind === "reach") {
      const to = { x: at.x + reachWidth, y: at.y + slope(stage) };
      const heights: [number, number] = [thick(stage.nearW), thick(stage.farW)];
      fall.reaches.push({
        reach: stage,
        from: at,
        to,
        heights,
        boardX: reachWidth >= ROOM.board ? at.x + reachWidth * 0.5 : undefined,
      });
      top.push(`L${to.x} ${to.y}`);
      under.push({ x: to.x, y: to.y + heights[1] });
      curve.push(`L${to.x} ${to.y + heights[1]}`);
      if (stage.lossW * scale >= 0.4 && reachWidth >= ROOM.leadWords) {
        const slot = Math.max(2, stage.lossW * scale);
        const y = to.y + heights[1];
        const x = Math.max(at.x + 4, to.x - 84 - slot);
        fall.slots.push({
          kind: "lead",
          x,
          y,
          width: slot,
          height: ROOM.slot,
          watts: stage.lossW,
          key: `feeds.${stage.to}.loss_w`,
          label: { x, y: y + ROOM.slot + 2 },
        });
      }
      at = to;
      level = heights[1];
      continue;
    }
    const wide = weirWidth(stage, scale);
    const to = { x: at.x + wide, y: at.y + step(stage, scale) };
    const heights: [number, number] = [level, thick(stage.outW)];
    const bedFrom = at.y + level;
    const bedTo = to.y + heights[1];
    fall.weirs.push({ weir: stage, from: at, to, heights, crestX: at.x + wide * 0.42 });
    top.push(`C${at.x + wide * 0.45} ${at.y} ${at.x + wide * 0.5} ${to.y} ${to.x} ${to.y}`);
    curve.push(`L${at.x + wide * 0.3} ${bedFrom} L${to.x} ${bedTo}`);
    under.push({ x: at.x + wide * 0.3, y: bedFrom }, { x: to.x, y: bedTo });
    let slotX = at.x + 4;
    const deep = bedFrom + ROOM.slot;
    stage.losses.forEach((loss, index) => {
      const slot = Math.max(2, loss.watts * scale);
      const bedAt = Math.max(
        Math.min(bedFrom, bedTo),
        Math.min(bedFrom, bedBelow(slotX, at.x, wide, bedFrom, bedTo)),
      );
      fall.slots.push({
        ...loss,
        x: slotX,
        y: bedAt,
        width: slot,
        height: deep - bedAt,
        // A lead too narrow for one line of words takes two, and the words of losses stand below them.
        label: { x: slotX, y: deep + (reachWidth < 230 ? 14 : 2) + index * 16 },
      });
      slotX += slot + 4;
    });
    at = to;
    level = heights[1];
  }
  fall.end = at;
  fall.endHeight = level;
  const bottom = height - 18;
  fall.surface = top.join(" ");
  const start = under[0] ?? { x: basin, y: head };
  fall.bed = `M${start.x} ${start.y} ${curve.join(" ")}`;
  const back = [...under].reverse().map((it) => `L${it.x} ${it.y}`);
  fall.water = `${fall.surface} ${back.join(" ")} Z`;
  fall.ground = `${fall.bed} L${at.x} ${bottom} L${basin} ${bottom} Z`;
  return fall;
}

/** The bed below a point of a weir: level to its crest, then rising or falling to its end. */
function bedBelow(x: number, from: number, wide: number, bedFrom: number, bedTo: number): number {
  const part = Math.min(1, Math.max(0, (x - from - wide * 0.3) / (wide * 0.7)));
  return bedFrom + (bedTo - bedFrom) * part;
}
