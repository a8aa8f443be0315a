import { describe, expect, it } from "vitest";
import demo from "../../demo/hollin-lock.plan.json";
import type { Plan } from "../src/api/client";
import { subjectName, subjects } from "../src/views/Bench/subjects";

const plan = demo as unknown as Plan;

describe("what tests are done to", () => {
  it("offers stores, ports, groups, inputs and leads, and no junction", () => {
    expect(subjects("store", plan).map((it) => it[0])).toContain("source|cabin-bank");
    expect(subjects("store", plan).map((it) => it[0])).not.toContain("source|mains");
    expect(subjects("port", plan).map((it) => it[0])).toContain("source|station|outlet");
    expect(subjects("group", plan)).toEqual([["source|station|dc", expect.stringContaining("dc")]]);
    expect(subjects("input", plan).map((it) => it[0])).toContain("source|station|wall");
    expect(subjects("lead", plan).every((it) => it[1].includes(": lead to "))).toBe(true);
    expect(subjects("converter", plan).map((it) => it[0])).not.toContain("converter|strip");
    expect(subjects("source", plan)[0]?.[0]).toBe("source|station");
    expect(subjects("arrangement", plan)).toHaveLength(plan.arrangements.length);
  });
  it("calls them by their names", () => {
    expect(subjectName({ kind: "source", id: "station", part: "outlet" }, plan)).toMatch(/^Power station, /);
    expect(subjectName({ kind: "arrangement", id: "direct", part: "router" }, plan)).toMatch(
      /lead to Router$/,
    );
    expect(subjectName({ kind: "converter", id: "gone" }, plan)).toBe("gone");
  });
});
