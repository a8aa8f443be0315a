/** A way with one device, taken apart into the stages of its picture. No physics: every number is the server's. */
import type { Board, Feed, Plan, Way } from "../../api/client";
import { chemistryWord } from "../../format/chemistry";
import { lossesOf, type Loss } from "./losses";
import { onOf, type On } from "./sluice";

/** One lead. */
export interface Reach {
  kind: "reach";
  /** What the lead goes to, which is its key among feeds. */
  to: string;
  feed: Feed;
  nearW: number;
  farW: number;
  lossW: number;
  nearV: number;
  farV: number;
  dropV: number;
  dropShare: number;
  collapsed: boolean;
  board: Board | undefined;
}

/** Where the level falls: a converter, or a port with a loss of its own. */
export interface Weir {
  kind: "weir";
  /** The converter, or `item/port`. */
  id: string;
  label: string;
  inW: number;
  outW: number;
  /** What is lost there, with the key of its working: for being on, with the load, with its square. */
  losses: Loss[];
  board: Board | undefined;
  /** Where it is switched: how long it is shut. */
  on: On | undefined;
}

export type Stage = Reach | Weir;

/** A chain from a store to a device. */
export interface Chain {
  way: Way;
  source: { id: string; label: string; note: string; soc: number | undefined; floor: number | undefined };
  device: { id: string; label: string };
  stages: Stage[];
  drawnW: number;
}

/** How much of its limit a board's highest mark takes. */
function strain(board: Board): number {
  return Math.max(0, ...board.marks.map((mark) => mark.value / board.limit));
}

/** The board at a place that is nearest to its limit. */
function boardAt(way: Way, places: string[], codes?: string[]): Board | undefined {
  const there = way.boards.filter((it) => places.includes(it.where) && (!codes || codes.includes(it.code)));
  return there.sort((a, b) => strain(b) - strain(a))[0];
}

/** The ids of arrangements that feed exactly one device, by device, in the order of the plan. */
export function singles(plan: Plan): Map<string, string[]> {
  const devices = new Set(plan.kit.devices.map((it) => it.id));
  const found = new Map<string, string[]>();
  for (const way of plan.arrangements) {
    const fed = way.feeds.map((it) => it.to).filter((to) => devices.has(to));
    const only = fed[0];
    if (fed.length === 1 && only !== undefined) found.set(only, [...(found.get(only) ?? []), way.id]);
  }
  return found;
}

/** The leads from a source to a device, source first. */
function leads(feeds: Feed[], device: string): Feed[] {
  const path: Feed[] = [];
  let at = device;
  for (let step = 0; step <= feeds.length; step += 1) {
    const feed = feeds.find((it) => it.to === at);
    if (!feed) break;
    path.unshift(feed);
    at = feed.from.item;
  }
  return path;
}

function describe(plan: Plan, id: string): string {
  const battery = plan.kit.sources.find((it) => it.id === id)?.battery;
  if (!battery) return "";
  const number = (figure: unknown) =>
    typeof figure === "number" ? figure : (figure as { value: number } | null | undefined)?.value;
  const size =
    battery.capacity_ah != null ? `${number(battery.capacity_ah)} Ah` : `${number(battery.energy_wh)} Wh`;
  return `${chemistryWord(battery.chemistry)}, ${size}`;
}

/** Takes a way apart along the chain to `device`. */
export function chainOf(plan: Plan, way: Way, device: string): Chain | undefined {
  const arrangement = plan.arrangements.find((it) => it.id === way.id);
  const path = arrangement ? leads(arrangement.feeds, device) : [];
  const first = path[0];
  if (!first) return undefined;
  const stages: Stage[] = [];
  const portKey = `${first.from.item}/${first.from.port}`;
  const port = way.flow.ports[portKey];
  const source = plan.kit.sources.find((it) => it.id === first.from.item);
  const sourceFlow = way.flow.sources[first.from.item];
  const portLoad = port ? port.loss_proportional_w + port.loss_quadratic_w : 0;
  if (port && port.loss_idle_w + portLoad > 0) {
    stages.push({
      kind: "weir",
      id: portKey,
      label: source?.ports.find((it) => it.id === first.from.port)?.label ?? first.from.port,
      inW: port.watts + port.loss_idle_w + portLoad,
      outW: port.watts,
      losses: lossesOf(`ports.${portKey}`, port),
      board: boardAt(way, [portKey]),
      on: onOf(way, portKey),
    });
  }
  for (const feed of path) {
    const flow = way.flow.feeds[feed.to];
    const converter = way.flow.converters[feed.to];
    const taken =
      converter?.input_w ?? way.flow.devices[feed.to]?.watts ?? way.flow.junctions[feed.to]?.watts ?? 0;
    if (flow) {
      stages.push({
        kind: "reach",
        to: feed.to,
        feed,
        nearW: taken + flow.loss_w,
        farW: taken,
        lossW: flow.loss_w,
        nearV: flow.near_v,
        farV: flow.far_v,
        dropV: flow.drop_v,
        dropShare: flow.drop_share,
        collapsed: way.flow.collapses.some((it) => it.at === feed.to),
        board: boardAt(way, [feed.to], ["fuse-size"]),
      });
    }
    if (converter) {
      const outputs = plan.kit.converters.find((it) => it.id === feed.to)?.outputs ?? [];
      stages.push({
        kind: "weir",
        id: feed.to,
        label: plan.kit.converters.find((it) => it.id === feed.to)?.label ?? feed.to,
        inW: converter.input_w,
        outW: converter.output_w,
        losses: lossesOf(`converters.${feed.to}`, converter),
        board: boardAt(
          way,
          [...outputs.map((it) => `${feed.to}/${it.id}`), feed.to],
          ["converter-output-limit", "converter-input-current"],
        ),
        on: onOf(way, feed.to),
      });
    }
  }
  return {
    way,
    source: {
      id: first.from.item,
      label: source?.label ?? first.from.item,
      note: describe(plan, first.from.item),
      soc: way.flow.soc[first.from.item],
      floor: way.lasting[first.from.item]?.floor_soc,
    },
    device: { id: device, label: plan.kit.devices.find((it) => it.id === device)?.label ?? device },
    stages,
    drawnW: sourceFlow?.watts ?? 0,
  };
}
