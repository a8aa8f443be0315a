/** When it rings: a pure function of what is known and of what a person chose. */
import type { Told } from "./useWatch";

export interface Rings {
  /** Hours left of what matters most under which it rings; never where there is none. */
  left: number | undefined;
  /** Minutes before a deadline. */
  deadline: number | undefined;
  /** Whether it rings for a meter that fell silent, */
  silent: boolean;
  /** for what somebody noticed to have gone off, */
  lost: boolean;
  /** and for the mains that came back. */
  back: boolean;
}

/** What rings where nobody chose. */
export const READY: Rings = { left: 1, deadline: 10, silent: true, lost: true, back: true };

/** What rings now, each with a sentence; its key is the same for as long as it is the same thing. */
export function ringing(told: Told, rings: Rings): { key: string; text: string }[] {
  if (!told.open) return [];
  const found: { key: string; text: string }[] = [];
  const device = told.headline.device;
  const until = told.estimate.devices[device]?.until_h.p50;
  const label = (id: string) => told.devices.find((it) => it.id === id)?.label ?? id;
  if (rings.left !== undefined && until !== undefined && until - told.at_h < rings.left && !told.mains_back)
    found.push({ key: `left ${device}`, text: `${told.headline.text}.` });
  for (const it of told.estimate.deadlines)
    if (rings.deadline !== undefined && it.harm_h - told.at_h < rings.deadline / 60)
      found.push({
        key: `deadline ${it.device} ${it.since_h.toFixed(2)}`,
        text: `${label(it.device)}: ${told.deadlines.find((other) => other.device === it.device)?.text ?? ""}.`,
      });
  if (rings.silent)
    for (const store of told.stores)
      if (store.trouble)
        found.push({ key: `silent ${store.id}`, text: `${store.label}: its meter is silent.` });
  if (rings.lost)
    for (const it of told.entries)
      if (it.kind === "noticed")
        found.push({ key: `noticed ${it.at_h.toFixed(4)} ${it.words}`, text: it.words });
  if (rings.back && told.mains_back) found.push({ key: "back", text: "The mains is back." });
  return found;
}
