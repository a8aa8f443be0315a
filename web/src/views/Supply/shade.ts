/** Times of day at which a panel stands in the shade, as they are typed and read. Pure functions. */

export interface Shade {
  from: string;
  to: string;
}

/** "08:00-09:30, 17:00-24:00". */
export const shadeText = (shade: Shade[] | null | undefined): string =>
  (shade ?? []).map((it) => `${it.from}-${it.to}`).join(", ");

/** The spans in a text, none for an empty one, or what is wrong with it. */
export function readShade(text: string): Shade[] | string {
  const parts = text
    .split(/[,;]/)
    .map((it) => it.trim())
    .filter((it) => it !== "");
  const spans: Shade[] = [];
  for (const part of parts) {
    const found = /^(\d{1,2}):(\d{2})\s*[-–]\s*(\d{1,2}):(\d{2})$/.exec(part);
    const time = (hours = "", minutes = "") => `${hours.padStart(2, "0")}:${minutes}`;
    const good = (hours = "", minutes = "") =>
      Number(hours) * 60 + Number(minutes) <= 1440 && Number(minutes) < 60;
    if (!found || !good(found[1], found[2]) || !good(found[3], found[4]))
      return `“${part}” is no span; write it as 08:00-09:30.`;
    spans.push({ from: time(found[1], found[2]), to: time(found[3], found[4]) });
  }
  return spans;
}
