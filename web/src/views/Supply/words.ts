/** Limits and times in words. */
import type { Schemas } from "../../api/client";
import { duration } from "../../format/figure";
import { fixed, plain as whole } from "../../format/number";

const plain = (value: number) => whole(Number(value.toPrecision(6)));

/** "8 A, 9 A for 3 s; shared" */
export function limitWords(limit: Schemas["PortLimit"]): string {
  const more = limit.overload.map((it) =>
    it.for_s == null
      ? `${plain(it.up_to)} ${limit.unit} for a time nobody states`
      : `${plain(it.up_to)} ${limit.unit} for ${duration(it.for_s)}`,
  );
  const shared = limit.group == null ? "" : `, shared by ${limit.group}`;
  return `${[`${plain(limit.continuous)} ${limit.unit}`, ...more].join(", ")}${shared}`;
}

/** "up to 300 W, 20 to 80 % in 1.7 h, empty to full in 3.1 h" */
export function inputWords(input: Schemas["InputFacts"]): string {
  if (input.most_w == null) return "its limit is not known";
  const times =
    input.to_80_h == null || input.to_full_h == null
      ? ""
      : `, 20 to 80 % in ${hours(input.to_80_h)}, empty to full in ${hours(input.to_full_h)}`;
  return `up to ${plain(Math.round(input.most_w))} W${times}`;
}

function hours(value: number): string {
  return `${fixed(value, value < 9.95 ? 1 : 0)} h`;
}
