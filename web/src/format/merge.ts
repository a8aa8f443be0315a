/** Two changes of the same thing: what goes together, and where a person must choose. */

export interface Clash {
  path: (string | number)[];
  /** What it is, in words. */
  name: string;
  mine: unknown;
  theirs: unknown;
}

type Tree = Record<string, unknown>;

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
const isFigure = (it: unknown) => typeof it === "object" && it !== null && "value" in it;
const isTree = (it: unknown): it is Tree =>
  typeof it === "object" && it !== null && !Array.isArray(it) && !isFigure(it);

/** Field names that go without saying. */
const UNSAID = new Set(["phases", "feeds", "ports", "outputs", "cable", "battery", "loss", "limit", "input"]);
const UNIT = /_(w|v|a|ohm|wh|ah|s|ms|h|c|m|mm2|kg|soc)$/;

function join(name: string, key: string): string {
  if (UNSAID.has(key)) return name;
  return `${name} ${key.replace(UNIT, "").replace(/_/g, " ")}`.trim();
}

function called(entry: unknown, index: number): string {
  const it = isTree(entry) ? (entry["when"] ?? entry["to"] ?? entry["label"] ?? entry["id"]) : undefined;
  return typeof it === "string" ? it : String(index + 1);
}

/**
 * `mine` and `theirs` were both made from `base`. What only one of them changed is taken; what both changed to
 * different things is a clash, and stands in `merged` as mine.
 */
export function merge(base: unknown, mine: unknown, theirs: unknown): { merged: unknown; clashes: Clash[] } {
  const clashes: Clash[] = [];
  function walk(
    was: unknown,
    ours: unknown,
    other: unknown,
    path: (string | number)[],
    name: string,
  ): unknown {
    if (same(ours, other) || same(was, other)) return ours;
    if (same(was, ours)) return other;
    if (isTree(was) && isTree(ours) && isTree(other)) {
      const keys = new Set([...Object.keys(other), ...Object.keys(ours)]);
      const merged: Tree = {};
      for (const key of keys) {
        const value = walk(was[key], ours[key], other[key], [...path, key], join(name, key));
        if (value !== undefined) merged[key] = value;
      }
      return merged;
    }
    if (Array.isArray(was) && Array.isArray(ours) && Array.isArray(other)) {
      const [a, b, c] = [was as unknown[], ours as unknown[], other as unknown[]];
      if (a.length === b.length && b.length === c.length)
        return b.map((it, index) =>
          walk(a[index], it, c[index], [...path, index], join(name, called(it, index))),
        );
    }
    clashes.push({ path, name: name || "all of it", mine: ours, theirs: other });
    return ours;
  }
  return { merged: walk(base, mine, theirs, [], ""), clashes };
}

/** The same with their values where the two clash. */
export function withTheirs(merged: unknown, clashes: Clash[]): unknown {
  const copy = JSON.parse(JSON.stringify(merged)) as Tree;
  for (const { path, theirs } of clashes) {
    const last = path[path.length - 1];
    if (last === undefined) return theirs;
    let at: Tree | undefined = copy;
    for (const key of path.slice(0, -1)) at = at?.[key] as Tree | undefined;
    if (!at) continue;
    if (theirs === undefined) Reflect.deleteProperty(at, last);
    else at[last] = theirs;
  }
  return copy;
}
