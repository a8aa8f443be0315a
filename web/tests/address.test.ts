import { describe, expect, it } from "vitest";
import { addressWith, idsIn, numberIn } from "../src/format/address";

const at = (search: string, hash = "") => ({ pathname: "/chains", search, hash });

describe("the address", () => {
  it("sets what is looked at and leaves the rest", () => {
    expect(addressWith(at("?site=weir-hut"), { ways: "direct,inverter", moment: "starting:pump" })).toBe(
      "/chains?site=weir-hut&ways=direct,inverter&moment=starting:pump",
    );
    expect(addressWith(at("?site=a&ways=b", "#device-x"), { ways: "c" })).toBe(
      "/chains?site=a&ways=c#device-x",
    );
  });
  it("leaves out what is as at first", () => {
    expect(addressWith(at("?ways=b&moment=busy"), { ways: undefined, moment: "" })).toBe("/chains");
  });
  it("reads again what it wrote, whatever is in it", () => {
    for (const value of ["a b", "a&b=c", "100 %", "ä,ö:ü", "#7", "+1"]) {
      const text = addressWith(at(""), { words: value });
      expect(new URL(text, "http://x").searchParams.get("words")).toBe(value);
    }
  });
  it("reads numbers within what they may be, and nothing else", () => {
    expect(numberIn("0.35", 0, 1)).toBe(0.35);
    expect(numberIn("7", 0, 1)).toBe(1);
    expect(numberIn("-2", 0, 1)).toBe(0);
    for (const text of ["", " ", "x", "1e999", "NaN"]) expect(numberIn(text, 0, 1)).toBeUndefined();
  });
  it("reads ids", () => {
    expect(idsIn("a,,b,")).toEqual(["a", "b"]);
    expect(idsIn("")).toEqual([]);
  });
});
