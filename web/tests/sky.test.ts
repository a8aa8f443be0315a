import { describe, expect, it } from "vitest";
import { monthsText, readMonths } from "../src/views/Site/months";
import { readShade, shadeText } from "../src/views/Supply/shade";
import { meterPlaces, placeOf } from "../src/views/Bench/places";

describe("the months of a sky", () => {
  it("are read as per cents and written so", () => {
    const text = "20 25 32 40 45 46 45 42 38 30 22 17.5";
    const read = readMonths(text);
    expect(read).toHaveLength(12);
    expect(monthsText(read as number[])).toBe(text);
    expect(readMonths("")).toEqual([]);
  });
  it("name what is wrong", () => {
    expect(readMonths("20 30")).toContain("2 numbers");
    expect(readMonths("20 x")).toContain("“x”");
    expect(readMonths(`${"20 ".repeat(11)}120`)).toContain("“120”");
  });
});

describe("the shade over a panel", () => {
  it("is read as spans and written so", () => {
    const spans = readShade("8:00-09:30, 17:00 – 24:00");
    expect(spans).toEqual([
      { from: "08:00", to: "09:30" },
      { from: "17:00", to: "24:00" },
    ]);
    expect(shadeText(spans as { from: string; to: string }[])).toBe("08:00-09:30, 17:00-24:00");
    expect(readShade(" ")).toEqual([]);
  });
  it("names what is no span", () => {
    expect(readShade("morning")).toContain("“morning”");
    expect(readShade("25:00-26:00")).toContain("08:00-09:30");
    expect(readShade("08:75-09:00")).toContain("08:75");
  });
});

describe("where a meter stands", () => {
  const source = {
    id: "box",
    label: "Box",
    kind: "power_station",
    ports: [
      { id: "socket", label: "12 V socket", current: "dc", voltage: { regulated_v: 13 } },
      { id: "outlet", current: "ac", voltage: { ac_v: 230 } },
    ],
  } as unknown as Parameters<typeof meterPlaces>[0];
  it("is at the terminals or behind a port, which counts where the current alternates", () => {
    expect(meterPlaces(source).map((it) => it.key)).toEqual([
      "terminals",
      "terminals|counted",
      "socket",
      "socket|counted",
      "outlet|counted",
    ]);
    const test = { protocol: "capacity", of: { kind: "source", id: "box" }, meters: [], rows: [] };
    expect(placeOf(test, source)).toBe("terminals");
    expect(placeOf({ ...test, place: "outlet" }, source)).toBe("outlet|counted");
    expect(placeOf({ ...test, place: "socket", counted: true }, source)).toBe("socket|counted");
  });
});
