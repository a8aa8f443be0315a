/** A working as lines of text, to be pasted into a letter or a log. */
import type { Working } from "../api/client";
import { exact } from "../format/number";

export function workingText(working: Working): string {
  const number = (it: Working["result"], entered: boolean) => {
    const spread = it.plus_minus == null ? "" : ` ± ${exact(it.plus_minus, true)}`;
    return `${exact(it.value, entered)}${it.unit ? ` ${it.unit}` : ""}${spread}`;
  };
  const terms = working.terms.map((it) => {
    const note = it.note ? `; ${it.note}` : "";
    return `  ${it.name}: ${number(it, it.basis != null)} (${it.basis ?? "computed"}${note})`;
  });
  const surer = working.surer ? [`To be surer: ${working.surer}`] : [];
  return [
    `${working.name}: ${number(working.result, false)}`,
    working.words,
    ...terms,
    ...surer,
    "An estimate from the figures entered; check by measuring before anything depends on it.",
  ].join("\n");
}
