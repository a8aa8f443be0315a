import { expect, test } from "vitest";
import { roundStep, shoreOf } from "../src/views/Shelf/front";
import {
  can,
  cellWords,
  columnsOf,
  found,
  proven,
  rowsOf,
  span,
  type RunCell,
  type Runs,
} from "../src/views/Shelf/shelf";

const cell = (status: string, more: object = {}) =>
  ({
    status,
    refused: null,
    via: [],
    brief: "",
    message: "",
    code: null,
    where: "",
    rating: null,
    ...more,
  }) as unknown as RunCell;
const runs = (cells: RunCell[][]) =>
  ({
    devices: cells.map((_, row) => `d${row}`),
    ports: (cells[0] ?? []).map((_, column) => ({
      item: `s${column}`,
      port: "out",
      behind: [],
      label: "",
      only: null,
    })),
    cells,
  }) as unknown as Runs;

test("what the labels refuse and what trips cannot be run, and what is open is not proven", () => {
  expect(["holds", "tight", "brief", "unproven", "trips"].map((it) => can(cell(it)))).toEqual([
    true,
    true,
    true,
    true,
    false,
  ]);
  expect(proven(cell("unproven"))).toBe(false);
  expect(can(cell("trips", { refused: "gives AC" }))).toBe(false);
});

test("the port on which most holds stands first, and the device that is hardest to run", () => {
  const it = runs([
    [cell("trips"), cell("holds"), cell("unproven")],
    [cell("unproven"), cell("holds"), cell("holds")],
  ]);
  expect(columnsOf(it)).toEqual([1, 2, 0]);
  expect(rowsOf(it, false)).toEqual([0, 1]);
  expect(rowsOf(it, true)).toEqual([0, 1]);
  expect(rowsOf(runs([...it.cells].reverse()), true)).toEqual([1, 0]);
});

test("a cell says the rating that decides, and else why it is not well", () => {
  const rating = {
    code: "port-limit",
    where: "s/out",
    value: 12.48,
    limit: 10,
    unit: "A",
    used: 1.25,
    message: "",
  };
  expect(cellWords(cell("trips", { rating, code: "port-limit", where: "s/out", brief: "trips" }))).toBe(
    "12.5 of 10 A",
  );
  expect(
    cellWords(cell("unproven", { rating, code: "polarity", where: "d", brief: "polarity unverified" })),
  ).toBe("polarity unverified");
  expect(cellWords(cell("holds", { rating: { ...rating, value: 1 } }))).toBe("1 of 10 A");
  expect(cellWords(cell("holds"))).toBe("no limit stated");
  expect(cellWords(cell("trips", { refused: "gives AC; Lamp takes DC" }))).toBe("gives AC; Lamp takes DC");
});

test("every typed word must stand somewhere, and hours are read at a glance", () => {
  expect(found("bank stu", "House bank", "studs")).toBe(true);
  expect(found("bank outlet", "House bank", "studs")).toBe(false);
  expect(found("  ", "anything")).toBe(true);
  expect([0.4, 16.19, 100].map(span)).toEqual(["24 min", "16.2 h", "4 d 4 h"]);
});

test("the front is a shore of rising steps, and what is wanted stands at its height", () => {
  const members = [
    { hours: 10, spend: 0, drawn_wh_day: 300 },
    { hours: 8, spend: 20, drawn_wh_day: 200 },
    { hours: 30, spend: 50, drawn_wh_day: 300 },
  ];
  const it = shoreOf(members, [{ hours: 5, spend: 60, drawn_wh_day: 400 }], 24, 100, 100);
  // What is bettered lies under the line, and the picture is wide enough for it.
  expect(it.across).toBe("spend");
  expect(it.under[0]?.x).toBeGreaterThan(it.marks[2]?.x ?? 100);
  expect(it.under[0]?.x).toBeLessThan(100);
  expect(it.under[0]?.y).toBeGreaterThan(it.marks[0]?.y ?? 100);
  expect(it.marks.map((mark) => mark.lasts)).toEqual([false, false, true]);
  // The one that costs more and lasts less stands under the line.
  expect(it.line.match(/V/g)?.length).toBe(2);
  const [ten = 0, eight = 0, thirty = 0] = it.marks.map((mark) => mark.y);
  expect(eight).toBeGreaterThan(ten);
  expect(it.wantedY).toBeGreaterThan(thirty);
  expect(it.wantedY).toBeLessThan(ten);
  expect(shoreOf([], [], 24, 100, 100).line).toBe("");
  // Where nothing costs anything it is drawn by what it draws.
  const free = shoreOf(
    [
      { hours: 10, spend: 0, drawn_wh_day: 300 },
      { hours: 12, spend: 0, drawn_wh_day: 400 },
    ],
    [],
    24,
    100,
    100,
  );
  expect(free.across).toBe("drawn_wh_day");
  expect(free.acrossTicks[0]?.value).toBeGreaterThanOrEqual(270);
  const [left = 0, right = 0] = free.marks.map((mark) => mark.x);
  expect(left).toBeLessThan(right);
  expect([0.9, 7, 130].map((range) => roundStep(range, 5))).toEqual([0.2, 2, 50]);
});
