/** What is left of arrangements and outages when an item of the kit is gone. */
import type { Arrangement, Plan, Schemas } from "../api/client";

type Outage = Schemas["Outage"];
type Rule = Schemas["Rule"];

/** The feeds that are left: none to it or from it, and none that then hang in the air. */
export function feedsWithout(found: Plan, feeds: Arrangement["feeds"], id: string) {
  const item = (to: string) => to.split("/")[0];
  let left = feeds.filter((feed) => item(feed.to) !== id && feed.from.item !== id);
  for (;;) {
    const fed = new Set(left.map((feed) => feed.to));
    const stands = (from: string) => !found.kit.converters.some((it) => it.id === from) || fed.has(from);
    const next = left.filter((feed) => stands(feed.from.item));
    if (next.length === left.length) return left;
    left = next;
  }
}

/** A rule that no longer names it; none where nothing of it is left. An empty turn would be everybody's. */
function ruleWithout(rule: Rule, id: string): Rule | undefined {
  if (rule.kind !== "stagger" || !rule.devices?.includes(id))
    return Object.values(rule).includes(id) ? undefined : rule;
  const devices = rule.devices.filter((it) => it !== id);
  return devices.length > 1 ? { ...rule, devices } : undefined;
}

/** An outage that no longer names it; the same one where it never did. */
export function outageWithout(outage: Outage, id: string): Outage {
  const rules = (outage.rules ?? []).flatMap((it) => ruleWithout(it, id) ?? []);
  const charging = (outage.charging ?? []).filter((it) => it.source !== id);
  const runs = (outage.runs ?? []).filter((it) => it.source !== id);
  const soc = Object.fromEntries(Object.entries(outage.initial_soc ?? {}).filter(([it]) => it !== id));
  const parts = (it: Outage) => [it.rules ?? [], it.charging ?? [], it.runs ?? [], it.initial_soc ?? {}];
  const left: Outage = { ...outage, rules, charging, runs, initial_soc: soc };
  return JSON.stringify(parts(left)) === JSON.stringify(parts(outage)) ? outage : left;
}
