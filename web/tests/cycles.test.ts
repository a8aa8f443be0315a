import { describe, expect, it } from "vitest";
import { cyclesText, readCycles } from "../src/views/Supply/cycles";

describe("cycles as they are typed", () => {
  it("reads what it writes, the shallowest first", () => {
    const pairs = [
      [0.5, 5000],
      [0.8, 3000],
    ];
    expect(cyclesText(pairs)).toBe("5000 at 50 %, 3000 at 80 %");
    expect(readCycles("3,000 cycles at 80%, 5000 at 50 %")).toEqual(pairs);
    expect(readCycles(cyclesText(pairs))).toEqual(pairs);
    expect(readCycles("")).toEqual([]);
  });
  it("says what is wrong", () => {
    expect(readCycles("many")).toMatch(/write it as 3000 at 80 %/);
    expect(readCycles("3000 at 180 %")).toMatch(/write it as/);
    expect(readCycles("0 at 50 %")).toMatch(/write it as/);
    expect(readCycles("3000 at 50 %, 5000 at 80 %")).toMatch(/what is deeper wears more/);
    expect(readCycles("3000 at 50 %, 2000 at 50 %")).toMatch(/twice/);
  });
});
