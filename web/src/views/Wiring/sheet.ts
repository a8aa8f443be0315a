/** The rows of a wiring sheet, each chain from its source outwards. */
import type { Arrangement, Feed, Plan, Port } from "../../api/client";
import { raw } from "../../format/figure";
import { FUSES } from "../../format/fuses";
import { habits } from "../../format/habits";
import { plain } from "../../format/number";
import { gaugeName, gaugeOfArea, toFeet } from "../../format/units";

export interface SheetRow {
  from: string;
  to: string;
  lead: string;
  fuse: string;
  plugs: string;
  polarity: string;
}

/** Feeds in the order in which they are laid: what feeds comes before what is fed. */
export function inOrder(feeds: Feed[]): Feed[] {
  const fed = new Set(feeds.map((it) => it.to));
  const after = (item: string): Feed[] =>
    feeds.filter((it) => it.from.item === item).flatMap((it) => [it, ...after(it.to)]);
  const roots = [...new Set(feeds.map((it) => it.from.item))].filter((it) => !fed.has(it));
  return roots.flatMap(after);
}

const WIRES: Record<string, string> = { solid: ", solid", class2: ", class 2", class5: ", flexible" };
const BUILT = new Map(FUSES);
function lead(feed: Feed): string {
  const cable = feed.cable;
  if (!cable) return "none";
  const metres = raw(cable.length_m) ?? 0;
  const length =
    habits.length === "ft" ? `${plain(Number(toFeet(metres).toFixed(1)))} ft` : `${plain(metres)} m`;
  const area = raw(cable.area_mm2);
  const gauge =
    raw(cable.awg) ?? (habits.area === "awg" && area !== undefined ? gaugeOfArea(area) : undefined);
  const pairs = raw(cable.pairs);
  if (pairs !== undefined) return `${length} of data cable, ${plain(pairs)} pairs`;
  const size = gauge === undefined ? `${plain(area ?? 0)} mm²` : gaugeName(gauge);
  const wires = WIRES[cable.strand ?? ""] ?? "";
  return `${length} of ${size}, ${cable.material ?? "copper"}${wires}`;
}

function fuseOf(fuse: Feed["fuse"]): string {
  const rating = raw(fuse?.rating_a);
  if (rating === undefined) return "none";
  return `${plain(rating)} A${fuse?.type ? `, ${BUILT.get(fuse.type) ?? ""}` : ""}`;
}

export function sheetOf(plan: Plan, way: Arrangement): SheetRow[] {
  const { devices, sources, converters } = plan.kit;
  const item = (id: string) => [...devices, ...sources, ...converters].find((it) => it.id === id);
  const port = (feed: Feed): Port | undefined => {
    const ports =
      sources.find((it) => it.id === feed.from.item)?.ports ??
      converters.find((it) => it.id === feed.from.item)?.outputs;
    return ports?.find((it) => it.id === feed.from.port);
  };
  return inOrder(way.feeds).map((feed) => {
    const [to = feed.to, input] = feed.to.split("/");
    const end = devices.find((it) => it.id === to)?.input ?? converters.find((it) => it.id === to)?.input;
    const near = port(feed);
    const plugs = [near?.connector, end?.connector].map((it) => it ?? "not told");
    return {
      from: `${item(feed.from.item)?.label ?? feed.from.item}, ${near?.label ?? feed.from.port}`,
      to: `${item(to)?.label ?? to}${input ? `, ${input}` : ""}`,
      lead: lead(feed),
      fuse: [fuseOf(feed.fuse), feed.fuse_far ? `at the battery ${fuseOf(feed.fuse_far)}` : ""]
        .filter(Boolean)
        .join("; "),
      plugs: plugs.every((it) => it === "not told") ? "not told" : plugs.join(" → "),
      polarity: end?.current === "ac" ? "AC" : (end?.polarity ?? "not told: check it"),
    };
  });
}
