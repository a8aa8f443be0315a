/** How often a battery bears how deep a discharge, as it is typed and read. Pure functions. */

/** "5,000 at 50 %, 3,000 at 80 %". */
export const cyclesText = (cycles: number[][] | null | undefined): string =>
  (cycles ?? [])
    .map(([depth, times]) => `${times ?? 0} at ${Math.round((depth ?? 0) * 1000) / 10} %`)
    .join(", ");

/** The pairs in a text, the shallowest first, none for an empty one, or what is wrong with it. */
export function readCycles(text: string): number[][] | string {
  const parts = text
    .replace(/(\d),(\d{3})(?!\d)/g, "$1$2")
    .split(/[,;]/)
    .map((it) => it.trim())
    .filter((it) => it !== "");
  const pairs: number[][] = [];
  for (const part of parts) {
    const found = /^(\d+)\s*(?:times|cycles)?\s*at\s*(\d+(?:\.\d+)?)\s*%$/.exec(part);
    const [times, depth] = [Number(found?.[1]), Number(found?.[2]) / 100];
    if (!found || !(times >= 1) || !(depth > 0 && depth <= 1))
      return `“${part}” says no cycles; write it as 3000 at 80 %.`;
    pairs.push([depth, times]);
  }
  pairs.sort((a, b) => (a[0] ?? 0) - (b[0] ?? 0));
  for (const [at, pair] of pairs.entries()) {
    const before = pairs[at - 1];
    if (before && before[0] === pair[0])
      return `${cyclesText([pair])} stands there twice; keep one of the two.`;
    if (before && (pair[1] ?? 0) > (before[1] ?? 0))
      return `${cyclesText([pair])} is more than ${cyclesText([before])}; what is deeper wears more.`;
  }
  return pairs;
}
