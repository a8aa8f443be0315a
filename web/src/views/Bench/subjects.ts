/** What tests are done to, as choices and by name. Pure functions. */
import type { Plan, Schemas } from "../../api/client";

/** `kind|id` or `kind|id|part`, and what it is called. */
export type Choice = [string, string];

function labelOf(id: string, plan: Plan): string {
  const { devices, converters, sources } = plan.kit;
  return [...devices, ...converters, ...sources].find((it) => it.id === id)?.label ?? id;
}

interface Named {
  id: string;
  label: string;
}

/** Everything in a plan that a test of this target can be done to. */
export function subjects(target: Schemas["Target"], plan: Plan): Choice[] {
  const { devices, converters, sources } = plan.kit;
  const parts = <T extends Named>(
    kind: string,
    list: T[],
    of: (one: T) => { id: string; label?: string | null }[],
  ) =>
    list.flatMap((one) =>
      of(one).map((part): Choice => [
        `${kind}|${one.id}|${part.id}`,
        `${one.label}: ${part.label ?? part.id}`,
      ]),
    );
  const wholes = (kind: string, list: Named[]) => list.map((one): Choice => [`${kind}|${one.id}`, one.label]);
  const real = converters.filter((one) => one.kind !== "junction");
  switch (target) {
    case "device":
      return wholes("device", devices);
    case "source":
      // Those that switch over by themselves come first.
      return wholes(
        "source",
        [...sources].sort((a, b) => Number(Boolean(b.line)) - Number(Boolean(a.line))),
      );
    case "store":
      return wholes(
        "source",
        sources.filter((one) => one.battery),
      );
    case "panel":
      return wholes(
        "source",
        sources.filter((one) => one.kind === "panel"),
      );
    case "converter":
      return wholes("converter", real);
    case "charger":
      return wholes(
        "converter",
        converters.filter((one) => one.kind === "charger"),
      );
    case "port":
      return parts(
        "source",
        sources.filter((one) => one.kind !== "mains"),
        (one) => one.ports,
      );
    case "output":
      return parts("converter", real, (one) => one.outputs);
    case "group":
      return parts("source", sources, (one) => one.groups ?? []);
    case "input":
      return parts("source", sources, (one) => one.inputs ?? []);
    case "lead":
      return plan.arrangements.flatMap((way) =>
        way.feeds
          .filter((feed) => feed.cable)
          .map((feed): Choice => [
            `arrangement|${way.id}|${feed.to}`,
            `${way.label}: lead to ${labelOf(feed.to, plan)}`,
          ]),
      );
    case "arrangement":
      return wholes("arrangement", plan.arrangements);
  }
}

/** What a test's subject is called. */
export function subjectName(of: Schemas["Subject"], plan: Plan): string {
  if (of.kind === "arrangement") {
    const way = plan.arrangements.find((it) => it.id === of.id)?.label ?? of.id;
    return of.part ? `${way}, lead to ${labelOf(of.part, plan)}` : way;
  }
  const source = plan.kit.sources.find((it) => it.id === of.id);
  const ports = source?.ports ?? plan.kit.converters.find((it) => it.id === of.id)?.outputs ?? [];
  const part = of.part ? (ports.find((it) => it.id === of.part)?.label ?? of.part) : "";
  return part ? `${labelOf(of.id, plan)}, ${part}` : labelOf(of.id, plan);
}
