/**
 * Where everything of a whole site's falls stands: a pure function of the trees and the room, in CSS pixels.
 *
 * Places along the width follow from the shape of the tree alone, so that nothing jumps while figures change; only
 * heights of water move. The branch of the most important device goes straight on; the others peel off the lower
 * layers of the water, the last one first, and drop in shafts, so that nothing crosses.
 */
import type { Loss } from "./losses";
import type { Node, Tree } from "./tree";

export const SITE = {
  basin: 104,
  /** Above a surface: a line of words. */
  words: 20,
  /** Least height of a lane: two lines beside its end. */
  lane: 44,
  /** Below a bed: ground, slots and what a slope takes. */
  below: 14,
  /** A weir, and a shaft, across. */
  weir: 46,
  shaft: 22,
  /** A lead between two stages, at most and at least. */
  most: 96,
  least: 22,
  /** The last lead, at least. */
  last: 96,
  slot: 14,
  gap: 18,
  /** Least height of a basin: its name, watts and volts; and a staff below them. */
  store: 68,
  staff: 20,
  thin: 2.5,
  perHundredth: 1.2,
  mostSlope: 6,
} as const;

const LADDER = [0.02, 0.03, 0.05, 0.08, 0.1, 0.15, 0.2, 0.3, 0.4, 0.6, 0.8, 1, 1.5, 2, 3, 4];

export interface Run {
  /** The place that the lead leads to. */
  node: Node;
  x1: number;
  x2: number;
  y1: number;
  y2: number;
  h1: number;
  h2: number;
}
export interface Drop {
  node: Node;
  x: number;
  width: number;
  top: number;
  bottom: number;
}
export interface Step {
  node: Node;
  x1: number;
  x2: number;
  y1: number;
  y2: number;
  h1: number;
  h2: number;
  slots: { loss: Loss; x: number; y: number; width: number; height: number }[];
}
export interface End {
  node: Node;
  y: number;
  height: number;
}
export interface Layer {
  x1: number;
  x2: number;
  y: number;
  height: number;
  /** Where its bed begins, the layers below it having gone. */
  edge: number;
  /** Whether it is the top one. */
  top: boolean;
}
export interface Placed {
  tree: Tree;
  y: number;
  height: number;
  runs: Run[];
  steps: Step[];
  drops: Drop[];
  /** Water of a junction, and of the source before its branches part, between its shafts. */
  layers: Layer[];
  ends: End[];
}
export interface SitePlace {
  width: number;
  height: number;
  scale: number;
  /** Where the leads end and the devices stand. */
  right: number;
  trees: Placed[];
}

const thick = (watts: number, scale: number) => (watts > 0 ? Math.max(SITE.thin, watts * scale) : 0);

/** Height that a place and all behind it need. */
export function need(node: Node, scale: number): number {
  const own = SITE.words + thick(Math.max(node.nearW, node.inW), scale) + SITE.below;
  if (node.children.length === 0) return Math.max(SITE.lane, own);
  const behind = node.children.reduce((sum, it) => sum + need(it, scale), 0);
  return Math.max(behind, own);
}

function needOf(tree: Tree, scale: number): number {
  const behind = tree.children.reduce((sum, it) => sum + need(it, scale), 0);
  const store = tree.boards.length > 0 ? SITE.store + SITE.staff : SITE.store;
  return Math.max(behind, SITE.words + thick(tree.drawnW, scale) + SITE.below, store);
}

/** The largest scale at which all ways fit into `height`, px per watt. */
export function siteScale(ways: Tree[][], height: number): number {
  const tall = (scale: number) =>
    ways.flat().reduce((sum, it) => sum + needOf(it, scale) + SITE.gap, 0) - SITE.gap;
  // Words need their room at any scale: what does not fit is scrolled, at the scale that adds little to that.
  const least = tall(LADDER[0] ?? 0.02);
  const room = Math.max(height, least * 1.12);
  return [...LADDER].reverse().find((it) => tall(it) <= room) ?? LADDER[0] ?? 0.02;
}

const shafts = (count: number) => (count > 1 ? (count - 1) * SITE.shaft + 6 : 0);

/** Width that is taken before the last lead, with leads between stages of `between`. */
function taken(node: Node, between: number): number {
  if (node.children.length === 0) return 0;
  const lead = node.feed ? between : 0;
  const own = (node.kind === "weir" ? SITE.weir : 0) + shafts(node.children.length);
  return lead + own + Math.max(...node.children.map((it) => taken(it, between)));
}

/** Lays the trees of one way out over `width` px, the devices' column of `column` px left free at its right. */
export function laySite(trees: Tree[], width: number, column: number, scale: number): SitePlace {
  const right = width - column;
  const room = right - SITE.basin - SITE.last;
  const deepest = (between: number) =>
    Math.max(
      0,
      ...trees.map(
        (it) =>
          shafts(it.children.length) + Math.max(0, ...it.children.map((child) => taken(child, between))),
      ),
    );
  const fixed = deepest(0);
  const leads = deepest(1) - fixed || 1;
  const between = Math.min(SITE.most, Math.max(SITE.least, (room - fixed) / leads));
  let y = 0;
  const placed = trees.map((tree) => {
    const height = needOf(tree, scale);
    const it: Placed = { tree, y, height, runs: [], steps: [], drops: [], layers: [], ends: [] };
    branch(it, tree.children, SITE.basin, y + SITE.words, y);
    y += height + SITE.gap;
    return it;
  });

  /** Parts water at (x, surface) among children whose lanes begin at `top`; each goes its own way from there. */
  function branch(into: Placed, children: Node[], x: number, surface: number, top: number) {
    const wide = shafts(children.length);
    let lane = top;
    let layer = surface;
    children.forEach((child, index) => {
      const height = thick(child.nearW, scale);
      const own = lane + SITE.words;
      const edge = Math.max(x, x + (children.length - 2 - index) * SITE.shaft);
      if (index === 0) {
        if (wide > 0) into.layers.push({ x1: x, x2: x + wide, y: surface, height, edge, top: true });
        walk(into, child, x + wide, surface, lane);
      } else {
        const at = x + (children.length - 1 - index) * SITE.shaft;
        if (at > x) into.layers.push({ x1: x, x2: at, y: layer, height, edge, top: false });
        into.drops.push({ node: child, x: at, width: SITE.shaft - 6, top: layer, bottom: own + height });
        walk(into, child, at, own, lane);
      }
      layer += height;
      lane += need(child, scale);
    });
  }

  function walk(into: Placed, node: Node, x: number, surface: number, lane: number) {
    const isEnd = node.children.length === 0;
    const slope = Math.min(SITE.mostSlope, node.dropShare * 100 * SITE.perHundredth);
    let at = x;
    let level = surface;
    if (node.feed) {
      const to = isEnd && node.kind !== "weir" ? right : at + between;
      const run = { node, x1: at, x2: to, y1: level, y2: level + slope };
      into.runs.push({ ...run, h1: thick(node.nearW, scale), h2: thick(node.inW, scale) });
      at = to;
      level += slope;
    }
    if (node.kind === "weir") {
      const h1 = thick(node.inW, scale);
      const h2 = thick(node.outW, scale);
      const y2 = level + 4;
      const bed = Math.max(level + h1, y2 + h2);
      let slotX = at + 4;
      const slots = node.losses.map((loss) => {
        const width = Math.max(2, loss.watts * scale);
        const slot = { loss, x: slotX, y: bed - 2, width, height: SITE.slot };
        slotX += width + 3;
        return slot;
      });
      into.steps.push({ node, x1: at, x2: at + SITE.weir, y1: level, y2, h1, h2, slots });
      at += SITE.weir;
      level = y2;
    }
    if (isEnd) into.ends.push({ node, y: lane, height: need(node, scale) });
    else branch(into, node.children, at, level, lane);
  }

  return { width, height: Math.max(0, y - SITE.gap), scale, right, trees: placed };
}
