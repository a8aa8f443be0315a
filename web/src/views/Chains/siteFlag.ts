/** Where a flag stands that points at a place of a picture. */
import type { Fall } from "./layout";
import type { SitePlace } from "./siteLayout";
import { isMeant } from "./useSpot";

const HIGH = 26;

/** The tip of the flag for an item, an `item/port` or what a lead leads to; none where the picture has no such. */
export function flagAt(site: SitePlace, wanted: string): { x: number; y: number } | undefined {
  const at = (x: number, y: number) => ({ x, y: Math.max(0, y - HIGH) });
  for (const it of site.trees) {
    const step = it.steps.find((step) => isMeant(step.node.id, wanted));
    if (step) return at(step.x1 + 66, step.y1 - 14);
    // An end is framed where it stands: there is no room for a flag among its words.
    if (it.ends.some((end) => isMeant(end.node.id, wanted))) return undefined;
    const run = it.runs.find((run) => isMeant(run.node.id, wanted));
    if (run) return at((run.x1 + run.x2) / 2, run.y1);
    if (isMeant(it.tree.source.id, wanted)) return at(40, it.y + 22);
  }
  return undefined;
}

/** The same on the fall of one device. */
export function flagOn(fall: Fall, wanted: string): { x: number; y: number } | undefined {
  const at = (x: number, y: number) => ({ x, y: Math.max(0, y - HIGH) });
  const weir = fall.weirs.find((it) => isMeant(it.weir.id, wanted));
  if (weir) return at(weir.crestX + 10, weir.from.y);
  const reach = fall.reaches.find((it) => isMeant(it.reach.to, wanted));
  if (reach) return at(reach.to.x - 60, reach.to.y);
  return isMeant(fall.chain.source.id, wanted) ? at(60, fall.basin.y) : undefined;
}
