import { describe, expect, it } from "vitest";
import type { Entry } from "../src/api/client";
import { duration, figureOf, idFrom, noteOf, raw, typed } from "../src/format/figure";
import { readHabits } from "../src/format/habits";

describe("a figure in a field", () => {
  it("stands with its ± and a letter for where it comes from", () => {
    expect(typed({ value: 6.2, plus_minus: 0.2, basis: "measured" })).toBe("6.2 ± 0.2 m");
    expect(typed({ value: 12, basis: "label" })).toBe("12 l");
    expect(typed({ value: 12, basis: "assumed" })).toBe("12");
    expect(typed(9)).toBe("9");
    expect([typed(null), typed(undefined)]).toEqual(["", ""]);
  });
  it("is a percentage where it is a share", () => {
    expect(typed({ value: 0.87, plus_minus: 0.02, basis: "datasheet" }, true)).toBe("87 ± 2 % d");
  });
  it("is a bare number where nobody said more, and loses nothing else", () => {
    const entry = (more: Partial<Entry>): Entry => ({ value: 4, basis: "assumed", ...more }) as Entry;
    expect(figureOf(entry({}))).toBe(4);
    expect(figureOf(entry({ plus_minus: 0.5 }))).toEqual({ value: 4, plus_minus: 0.5 });
    expect(figureOf(entry({ basis: "measured" }))).toEqual({ value: 4, basis: "measured" });
    expect(figureOf(entry({ note: "from 14 BTU/h" }))).toEqual({ value: 4, note: "from 14 BTU/h" });
  });
  it("gives its value and how it came about", () => {
    expect([raw(3), raw({ value: 3 }), raw(null), raw(undefined)]).toEqual([3, 3, undefined, undefined]);
    expect([noteOf(3), noteOf({ value: 3, note: "from the plate" }), noteOf(null)]).toEqual([
      "",
      "from the plate",
      "",
    ]);
  });
});

describe("seconds", () => {
  it("are told in the unit that a person would use", () => {
    expect([0.02, 90, 599].map(duration)).toEqual(["0.02 s", "90 s", "599 s"]);
    expect([600, 2700, 5399].map(duration)).toEqual(["10 min", "45 min", "90 min"]);
    expect([5400, 7200, 259_200].map(duration)).toEqual(["1.5 h", "2 h", "72 h"]);
  });
});

describe("an id", () => {
  it("is the name in small letters, with a number where it is taken", () => {
    expect(idFrom("Gate camera", [])).toBe("gate-camera");
    expect(idFrom("Gate camera", ["gate-camera"])).toBe("gate-camera-2");
    expect(idFrom("Gate camera", ["gate-camera", "gate-camera-2"])).toBe("gate-camera-3");
    expect(idFrom("Küche – Kühlbox 2", [])).toBe("kuche-kuhlbox-2");
  });
  it("is always one that the format takes", () => {
    for (const name of ["", "  ", "—", "ポンプ", "-x-", "a".repeat(90), "Ä/Ö", "9 V"]) {
      const id = idFrom(name, []);
      expect(id).toMatch(/^[a-z0-9]([a-z0-9-]*[a-z0-9])?$/);
      expect(id.length).toBeLessThanOrEqual(48);
    }
  });
});

describe("habits", () => {
  it("are taken over part by part, each only where it is a choice", () => {
    const first = readHabits(null);
    expect(first).toEqual({
      decimal: "point",
      temperature: "c",
      length: "m",
      area: "mm2",
      date: "iso",
      clock: "24h",
    });
    expect(readHabits('{"decimal":"comma","length":"cubit","area":"awg"}')).toEqual({
      ...first,
      decimal: "comma",
      area: "awg",
    });
  });
  it("are the first ones where what was remembered is broken", () => {
    for (const text of ["", "{", "null", "[]", "7", '"comma"'])
      expect(readHabits(text)).toEqual(readHabits(null));
  });
});
