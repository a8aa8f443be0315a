import { describe, expect, it } from "vitest";
import { highest, joinMarks, momentWord } from "../src/components/gauge";

describe("marks on a staff", () => {
  it("are called by what happens and not by whom", () => {
    expect(["running", "busy", "all-starting", "starting heater", "stopping heater"].map(momentWord)).toEqual(
      ["run", "busy", "all start", "start", "stop"],
    );
  });

  it("keep the highest of each word, in the order in which they come", () => {
    const marks = [
      { moment: "running", value: 1 },
      { moment: "starting router", value: 3 },
      { moment: "starting heater", value: 9 },
      { moment: "starting lamp", value: 2 },
    ];
    expect(highest(marks)).toEqual([
      ["run", 1],
      ["start", 9],
    ]);
    expect(highest([])).toEqual([]);
  });

  it("are joined where their words would touch", () => {
    const groups = joinMarks([{ y: 40 }, { y: 10 }, { y: 16 }, { y: 21 }], 11);
    expect(groups.map((it) => [it.y, it.marks.length])).toEqual([
      [10, 2],
      [21, 1],
      [40, 1],
    ]);
  });
});
