import { describe, expect, it } from "vitest";
import { cssVariables, naiveOverrides, themes, type Role, type ThemeName } from "../src/styles/tokens";

/** Relative luminance of a colour (WCAG 2.2). */
function light(colour: string): number {
  const parts = [1, 3, 5].map((at) => Number.parseInt(colour.slice(at, at + 2), 16) / 255);
  const linear = parts.map((it) => (it <= 0.04045 ? it / 12.92 : ((it + 0.055) / 1.055) ** 2.4));
  return 0.2126 * (linear[0] ?? 0) + 0.7152 * (linear[1] ?? 0) + 0.0722 * (linear[2] ?? 0);
}
function contrast(a: string, b: string): number {
  const [low = 0, high = 0] = [light(a), light(b)].sort((x, y) => x - y);
  return (high + 0.05) / (low + 0.05);
}

const READ: Role[] = ["ink", "faint", "primary", "holds", "tight", "unproven", "trips", "loss"];

describe.each(Object.keys(themes) as ThemeName[])("the theme %s", (name) => {
  const role = themes[name];
  it.each(READ)("has words in %s that can be read on the page and on a sheet", (word) => {
    expect(contrast(role[word], role.page)).toBeGreaterThanOrEqual(4.5);
    expect(contrast(role[word], role.sheet)).toBeGreaterThanOrEqual(4.5);
  });
  it("has a surface that stands out from its water and from the page", () => {
    expect(contrast(role.surface, role.page)).toBeGreaterThanOrEqual(3);
    expect(contrast(role.surface, role.water)).toBeGreaterThanOrEqual(2);
  });
  it("gives its colours to the library's parts, none of which is round", () => {
    const { common } = naiveOverrides(name);
    expect([common?.bodyColor, common?.errorColor, common?.borderRadius]).toEqual([
      role.page,
      role.trips,
      "0",
    ]);
  });
  it("is in the style sheet, role by role", () => {
    const css = cssVariables();
    for (const [key, colour] of Object.entries(role)) expect(css).toContain(`--${key}: ${colour};`);
  });
});

describe("the blackout theme", () => {
  it("is far darker than the day, and lights no white", () => {
    expect(light(themes.blackout.page)).toBeLessThan(0.01);
    for (const colour of Object.values(themes.blackout)) expect(light(colour)).toBeLessThan(0.5);
  });
});
