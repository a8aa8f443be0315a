import { afterEach, describe, expect, it } from "vitest";
import { habits } from "../src/format/habits";
import { fromHabit, readIn, readSize, shownIn, sizeText, toHabit, unitOf } from "../src/format/spoken";
import {
  gaugeWithin,
  areaOfGauge,
  gaugeOfArea,
  readClock,
  readWall,
  clockText,
  wall,
} from "../src/format/units";
import { readRow } from "../src/views/Bench/rows";

const si = { ...habits };
afterEach(() => Object.assign(habits, si));

describe("a length", () => {
  it("is read in its own unit, and bare in that of habit", () => {
    expect(readIn("2.5", "m")).toBe(2.5);
    expect(readIn("10 ft", "m")).toBeCloseTo(3.048, 9);
    expect(readIn("10'", "m")).toBeCloseTo(3.048, 9);
    expect(readIn("80cm", "m")).toBeCloseTo(0.8, 9);
    habits.length = "ft";
    expect([unitOf("m"), shownIn(3.048, "m")]).toEqual(["ft", "10"]);
    expect(readIn("10", "m")).toBeCloseTo(3.048, 9);
    expect(readIn("3 m", "m")).toBe(3);
  });
  it("is none in another unit", () => {
    for (const text of ["10 kg", "ten", "", "10 V", "1 2"]) expect(readIn(text, "m")).toBeUndefined();
  });
});

describe("a temperature", () => {
  it("is read and shown by habit; a difference has no zero of its own", () => {
    expect(readIn("68 °F", "°C")).toBeCloseTo(20, 9);
    habits.temperature = "f";
    expect(shownIn(20, "°C")).toBe("68");
    expect(readIn("-4", "°C")).toBeCloseTo(-20, 9);
    expect(readIn("5 °C", "°C")).toBe(5);
    expect(shownIn(5, "°C", true)).toBe("9");
    expect(readIn("9", "°C", true)).toBeCloseTo(5, 9);
    for (const value of [-40, 0, 21.5]) expect(fromHabit(toHabit(value, "°C"), "°C")).toBeCloseTo(value, 9);
  });
});

describe("the size of a lead", () => {
  it("is an area or a gauge, whichever is typed", () => {
    expect(readSize("2.5", false)).toEqual({ area_mm2: 2.5 });
    expect(readSize("2,5 mm²", true)).toEqual({ area_mm2: 2.5 });
    for (const text of ["12 AWG", "AWG 12", "12awg", "12 ga"])
      expect(readSize(text, false)).toEqual({ awg: 12 });
    expect(readSize("12", true)).toEqual({ awg: 12 });
    expect(readSize("4/0", false)).toEqual({ awg: -3 });
    for (const text of ["12.5 AWG", "50 AWG", "5/0", "0", "12 AWG mm²", "thick"])
      expect(readSize(text, false)).toBeUndefined();
  });
  it("is shown as the gauge that is at least as thick, and counts as no thicker", () => {
    habits.area = "awg";
    expect(sizeText({ area_mm2: 50 })).toEqual({ text: "1/0", unit: "AWG" });
    expect(sizeText({ awg: 12 })).toEqual({ text: "12", unit: "AWG" });
    for (const area of [0.5, 1.5, 2.5, 10, 35, 70]) {
      expect(areaOfGauge(gaugeWithin(area))).toBeLessThanOrEqual(area * 1.001);
      expect(areaOfGauge(gaugeOfArea(area) ?? 99)).toBeGreaterThanOrEqual(area * 0.999);
    }
  });
});

describe("a row with its units", () => {
  const columns = [
    { name: "volts in", unit: "V" },
    { name: "amperes in", unit: "A" },
    { name: "volts out", unit: "V" },
    { name: "amperes out", unit: "A" },
  ];
  it("is read as it is spoken", () => {
    expect(readRow("12.8 V 0.55 A 230 V 0.005 A", columns)).toEqual([12.8, 0.55, 230, 0.005]);
    expect(readRow("12.8V 550mA 230V 5 mA", columns)).toEqual([12.8, 0.55, 230, 0.005]);
  });
  it("takes no amperes for volts", () => {
    expect(readRow("12.8 A 0.55 A 230 V 5 mA", columns)).toBe("“12.8 A” is not in V, as volts in is.");
  });
});

describe("a time of day", () => {
  it("is written by habit and read by either clock", () => {
    expect(readClock("4:30 pm")).toBe("16:30");
    expect(readClock("4 am")).toBe("04:00");
    expect(readClock("24:00")).toBe("24:00");
    for (const clock of ["24h", "12h"] as const) {
      habits.clock = clock;
      for (const time of ["00:00", "09:05", "12:00", "23:59"]) expect(readClock(clockText(time))).toBe(time);
    }
    for (const wrong of ["25:00", "16", "soon", "13:00 pm", "9:75"]) expect(readClock(wrong)).toBeUndefined();
  });
});

describe("a day and a time", () => {
  it("is written and read back by every habit", () => {
    for (const date of ["iso", "dmy", "mdy"] as const)
      for (const clock of ["24h", "12h"] as const) {
        Object.assign(habits, { date, clock });
        for (const iso of ["2026-01-14T00:05", "2026-11-25T12:00", "2024-02-29T16:30", "2026-11-25T23:59"])
          expect(readWall(wall(iso))).toBe(iso);
      }
    expect(readWall("2026-11-25 4:30 pm")).toBe("2026-11-25T16:30");
    expect(readWall("2026-11-25 4 pm")).toBe("2026-11-25T16:00");
    for (const wrong of ["2026-02-30 12:00", "2026-11-25", "2026-11-25 25:00", "2026-11-25 13:00 pm", "soon"])
      expect(readWall(wrong)).toBeUndefined();
  });
});
