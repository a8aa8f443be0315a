import { describe, expect, it } from "vitest";
import { laySite, need, SITE, siteScale } from "../src/views/Chains/siteLayout";
import { endsOf, type Node, type Tree } from "../src/views/Chains/tree";

function node(id: string, watts: number, children: Node[] = [], kind?: Node["kind"]): Node {
  const outW = children.reduce((sum, it) => sum + it.nearW, 0);
  const weir = kind === "weir";
  return {
    kind: kind ?? (children.length ? "split" : "end"),
    id,
    label: id,
    feed: { from: { item: "x", port: "y" }, to: id },
    nearW: children.length ? outW * (weir ? 1.2 : 1) + 0.5 : watts,
    inW: children.length ? outW * (weir ? 1.2 : 1) : watts,
    outW,
    nearV: 13,
    farV: 12.5,
    dropV: 0.5,
    dropShare: 0.04,
    collapsed: false,
    losses: weir ? [{ kind: "idle", watts: outW * 0.2, key: "k" }] : [],
    on: undefined,
    boards: [],
    fuse: undefined,
    window: undefined,
    children,
  };
}

function tree(children: Node[]): Tree {
  return {
    source: { id: "bank", label: "Bank", note: "", soc: 0.6, floor: 0.1 },
    terminalV: 13,
    boards: [],
    drawnW: children.reduce((sum, it) => sum + it.nearW, 0),
    children,
  };
}

/** Twelve devices behind six converters, with watts by a rule. */
function twelve(watts: (index: number) => number): Tree[] {
  const pair = (index: number) =>
    node(
      `box-${index}`,
      0,
      [node(`d-${index * 2}`, watts(index * 2)), node(`d-${index * 2 + 1}`, watts(index * 2 + 1))],
      "weir",
    );
  return [tree([node("block", 0, [0, 1, 2, 3, 4, 5].map(pair))])];
}

describe("a whole site", () => {
  it("gives each of twelve devices behind six converters a lane of its own", () => {
    const trees = twelve((index) => 3 + index * 5);
    const scale = siteScale([trees], 560);
    const place = laySite(trees, 1232, 276, scale);
    const ends = place.trees.flatMap((it) => it.ends).sort((a, b) => a.y - b.y);
    expect(ends).toHaveLength(12);
    ends.forEach((end, index) => {
      const next = ends[index + 1];
      expect(end.height).toBeGreaterThanOrEqual(SITE.lane);
      if (next) expect(next.y).toBeGreaterThanOrEqual(end.y + end.height - 1e-9);
    });
    expect(Math.max(...ends.map((it) => it.y + it.height))).toBeLessThanOrEqual(place.height + 1e-9);
  });

  it("moves no place along the width while figures change", () => {
    const at = (trees: Tree[]) => {
      const place = laySite(trees, 1232, 276, 0.5);
      const it = place.trees[0];
      return [
        ...(it?.runs ?? []).map((run) => [run.node.id, run.x1, run.x2]),
        ...(it?.steps ?? []).map((step) => [step.node.id, step.x1, step.x2]),
        ...(it?.drops ?? []).map((drop) => [drop.node.id, drop.x, drop.width]),
      ];
    };
    expect(at(twelve(() => 1))).toEqual(at(twelve((index) => 2 + index * index)));
  });

  it("keeps everything between the store and the devices", () => {
    for (const width of [1232, 1000, 900]) {
      const place = laySite(
        twelve((index) => index * 9),
        width,
        276,
        0.4,
      );
      for (const it of place.trees.flatMap((found) => [...found.runs, ...found.steps])) {
        expect(it.x1).toBeGreaterThanOrEqual(SITE.basin);
        expect(it.x2).toBeLessThanOrEqual(place.right + 1e-9);
        expect(it.x2).toBeGreaterThan(it.x1);
      }
    }
  });

  it("lets the last branch peel off first, so that no shaft crosses a lead", () => {
    const trees = [tree([node("block", 0, [node("a", 5), node("b", 20), node("c", 9)])])];
    const place = laySite(trees, 1200, 276, 1);
    const drops = place.trees[0]?.drops ?? [];
    const x = (id: string) => drops.find((it) => it.node.id === id)?.x ?? 0;
    expect(x("c")).toBeLessThan(x("b"));
    for (const drop of drops) {
      const crossed = (place.trees[0]?.runs ?? []).filter(
        (run) =>
          run.node.id !== drop.node.id &&
          run.x1 < drop.x &&
          run.x2 > drop.x + drop.width &&
          run.y1 > drop.top + 1,
      );
      expect(crossed.filter((run) => run.y1 < drop.bottom - run.h1 - 1)).toEqual([]);
    }
  });

  it("draws water as high as its watts on one scale, and never less than can be seen", () => {
    const place = laySite([tree([node("a", 40), node("b", 0.01)])], 1200, 276, 0.5);
    const run = (id: string) => place.trees[0]?.runs.find((it) => it.node.id === id);
    expect(run("a")?.h2).toBeCloseTo(20, 9);
    expect(run("b")?.h2).toBe(SITE.thin);
    expect(laySite([tree([node("off", 0)])], 1200, 276, 0.5).trees[0]?.runs[0]?.h2).toBe(0);
  });

  it("needs at least the sum of what is behind", () => {
    const whole = node("block", 0, [node("a", 5), node("b", 5)]);
    expect(need(whole, 0.5)).toBeGreaterThanOrEqual(2 * SITE.lane);
    expect(endsOf(whole).map((it) => it.id)).toEqual(["a", "b"]);
  });

  it("chooses a larger scale where there is more room, the same for all ways", () => {
    const trees = twelve(() => 20);
    expect(siteScale([trees], 2000)).toBeGreaterThanOrEqual(siteScale([trees], 600));
    expect(siteScale([trees, trees], 2000)).toBeLessThanOrEqual(siteScale([trees], 2000));
    expect(siteScale([], 600)).toBeGreaterThan(0);
  });
});
