import { describe, expect, it } from "vitest";
import { exact, fixed, hours, read, volts, wattHours, watts } from "../src/format/number";

describe("numbers", () => {
  it("have as many digits as their kind", () => {
    expect([watts(0), watts(0.45), watts(6.27), watts(168.4), watts(1234)]).toEqual([
      "0",
      "0.45",
      "6.3",
      "168",
      "1,234",
    ]);
    expect([volts(12.97), volts(229.99)]).toEqual(["13.0", "230"]);
    expect([hours(4.23), hours(101.4), wattHours(377.2)]).toEqual(["4.2", "101", "377"]);
  });

  it("never show a minus zero, and a true minus as one", () => {
    expect(fixed(-0.001, 1)).toBe("0.0");
    expect(fixed(-1.25, 1)).toBe("−1.3");
  });

  it("keep their digits in workings, but not empty ones that nobody entered", () => {
    expect([exact(13), exact(13, true), exact(0.4998), exact(0.0000123)]).toEqual([
      "13.00",
      "13",
      "0.4998",
      "0.0000123",
    ]);
    expect(exact(100, true)).toBe("100");
  });

  it("are read with a point or a comma, and refused with anything else", () => {
    expect([read("4,9"), read(" 12. "), read("-5"), read(".5")]).toEqual([4.9, 12, -5, 0.5]);
    expect(["", "five", "1.2.3", "1e9", "4 9"].map(read)).toEqual([
      undefined,
      undefined,
      undefined,
      undefined,
      undefined,
    ]);
  });
});
