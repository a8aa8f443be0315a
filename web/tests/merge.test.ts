import { describe, expect, it } from "vitest";
import { merge, withTheirs } from "../src/format/merge";

const router = (watts: unknown, more: object = {}) => ({
  id: "router",
  label: "Router",
  phases: [
    { when: "starting", watts: 13 },
    { when: "running", watts },
  ],
  ...more,
});

describe("two changes of the same thing", () => {
  it("go together where they change different fields", () => {
    const { merged, clashes } = merge(router(8), router(9), router(8, { note: "seen" }));
    expect(clashes).toEqual([]);
    expect(merged).toEqual(router(9, { note: "seen" }));
  });

  it("clash where they change the same to different values, with both values", () => {
    const theirs = router({ value: 30, basis: "measured" }, { note: "seen" });
    const { merged, clashes } = merge(router(8), router(9), theirs);
    expect(clashes).toEqual([
      {
        path: ["phases", 1, "watts"],
        name: "running watts",
        mine: 9,
        theirs: { value: 30, basis: "measured" },
      },
    ]);
    expect(merged).toEqual(router(9, { note: "seen" }));
    expect(withTheirs(merged, clashes)).toEqual(theirs);
  });

  it("do not clash where both say the same", () => {
    expect(merge(router(8), router(9), router(9)).clashes).toEqual([]);
  });

  it("take a removed field as a change", () => {
    const base = router(8, { note: "old" });
    expect(merge(base, router(8), router(8, { note: "new" })).clashes).toHaveLength(1);
    expect(merge(base, router(8), base).merged).toEqual(router(8));
  });

  it("take a list of another length as a whole", () => {
    const mine = { ...router(8), phases: [{ when: "running", watts: 8 }] };
    const { clashes } = merge(router(8), mine, router(9));
    expect(clashes.map((clash) => clash.path)).toEqual([["phases"]]);
    expect(withTheirs(mine, clashes)).toEqual(router(9));
  });
});
