/** A way taken apart into trees, one for each source in use: what its picture of a whole site draws. No physics. */
import type { Board, Feed, Plan, Status, Way, Window } from "../../api/client";
import { raw } from "../../format/figure";
import { lossesOf, type Loss } from "./losses";
import { onOf, type On } from "./sluice";

/** A place in the tree, with the lead into it. */
export interface Node {
  /** `weir`: a converter, or a port with its own loss; `split`: a junction; `end`: a device, or what leads nowhere. */
  kind: "weir" | "split" | "end";
  /** The item, or `source/port`, or `source/input`. */
  id: string;
  label: string;
  /** The lead into it; none for a port of the source itself. */
  feed: Feed | undefined;
  /** Into the lead, and into the place itself, W. */
  nearW: number;
  inW: number;
  /** Out of it, W; 0 at an end. */
  outW: number;
  nearV: number;
  farV: number;
  dropV: number;
  dropShare: number;
  collapsed: boolean;
  losses: Loss[];
  /** Where it is switched: how long it is shut. */
  on: On | undefined;
  boards: Board[];
  /** The fuse of the lead into it. */
  fuse: Board | undefined;
  /** The voltages that it takes. */
  window: Window | undefined;
  children: Node[];
}

/** A source with everything that hangs on it. */
export interface Tree {
  source: { id: string; label: string; note: string; soc: number | undefined; floor: number | undefined };
  terminalV: number | undefined;
  drawnW: number;
  /** Of its store, its alternator and what its ports share. */
  boards: Board[];
  children: Node[];
}

/** Verdicts, from the best to the worst. */
export const RANK: Status[] = ["holds", "tight", "brief", "unproven", "trips"];
export const worse = (a: Status, b: Status): Status => (RANK.indexOf(a) >= RANK.indexOf(b) ? a : b);

/** The worst verdict at a place. */
export function statusAt(boards: Board[]): Status {
  return boards.reduce<Status>((worst, it) => worse(worst, it.status), "holds");
}

/** Takes a way apart. Branches stand in the order of what matters: the most important device of each decides. */
export function treesOf(plan: Plan, way: Way): Tree[] {
  const arrangement = plan.arrangements.find((it) => it.id === way.id);
  if (!arrangement) return [];
  const feeds = arrangement.feeds;
  const rank = (id: string): number => {
    const device = plan.kit.devices.find((it) => it.id === id);
    if (device) return raw(device.priority) ?? 1e6;
    return Math.min(...feeds.filter((it) => it.from.item === id).map((it) => rank(it.to)), 1e7);
  };
  const ordered = (list: Feed[]) => [...list].sort((a, b) => rank(a.to) - rank(b.to));
  const label = (id: string) => {
    const [item = id, input] = id.split("/");
    const kit = plan.kit;
    const found = [...kit.devices, ...kit.converters, ...kit.sources].find((it) => it.id === item);
    return `${found?.label ?? item}${input ? `, ${input}` : ""}`;
  };
  const boards = (...places: string[]) =>
    way.boards.filter((it) => places.includes(it.where) && it.code !== "fuse-size");

  function node(feed: Feed): Node {
    const to = feed.to;
    const flow = way.flow.feeds[to];
    const converter = way.flow.converters[to];
    const junction = way.flow.junctions[to];
    const taken =
      converter?.input_w ??
      way.flow.devices[to]?.watts ??
      junction?.watts ??
      way.flow.inputs?.[to]?.watts ??
      0;
    const outputs = plan.kit.converters.find((it) => it.id === to)?.outputs ?? [];
    const children = ordered(feeds.filter((it) => it.from.item === to)).map(node);
    return {
      kind: converter ? "weir" : junction ? "split" : "end",
      id: to,
      label: label(to),
      feed,
      nearW: taken + (flow?.loss_w ?? 0),
      inW: taken,
      outW: converter?.output_w ?? (junction ? taken : 0),
      nearV: flow?.near_v ?? 0,
      farV: flow?.far_v ?? 0,
      dropV: flow?.drop_v ?? 0,
      dropShare: flow?.drop_share ?? 0,
      collapsed: way.flow.collapses.some((it) => it.at === to),
      losses: converter ? lossesOf(`converters.${to}`, converter) : [],
      on: converter ? onOf(way, to) : undefined,
      boards: boards(to, ...outputs.map((it) => `${to}/${it.id}`)),
      fuse: way.boards.find((it) => it.where === to && it.code === "fuse-size"),
      window: way.windows.find((it) => it.where === to),
      children,
    };
  }

  return plan.kit.sources.flatMap((source) => {
    const own = feeds.filter((it) => it.from.item === source.id);
    if (own.length === 0) return [];
    const ports = source.ports.filter((port) => own.some((it) => it.from.port === port.id));
    const children = ports.flatMap((port) => {
      const below = ordered(own.filter((it) => it.from.port === port.id)).map(node);
      const key = `${source.id}/${port.id}`;
      const flow = way.flow.ports[key];
      const load = flow ? flow.loss_proportional_w + flow.loss_quadratic_w : 0;
      if (!flow || (flow.loss_idle_w + load <= 0 && boards(key).length === 0)) return below;
      const inW = flow.watts + flow.loss_idle_w + load;
      const volts = below[0]?.nearV ?? 0;
      const sluice: Node = {
        kind: "weir",
        id: key,
        label: port.label ?? port.id,
        feed: undefined,
        nearW: inW,
        inW,
        outW: flow.watts,
        nearV: volts,
        farV: volts,
        dropV: 0,
        dropShare: 0,
        collapsed: false,
        losses: lossesOf(`ports.${key}`, flow),
        on: onOf(way, key),
        boards: boards(key),
        fuse: undefined,
        window: undefined,
        children: below,
      };
      return [sluice];
    });
    const first = (it: Node): number =>
      it.children.length ? Math.min(...it.children.map(first)) : rank(it.id);
    children.sort((a, b) => first(a) - first(b));
    const flow = way.flow.sources[source.id];
    return [
      {
        source: {
          id: source.id,
          label: source.label,
          note: flow ? "" : "gives nothing",
          soc: way.flow.soc[source.id],
          floor: way.lasting[source.id]?.floor_soc,
        },
        terminalV: flow?.terminal_v ?? undefined,
        boards: boards(source.id, ...(source.groups ?? []).map((it) => `${source.id}/${it.id}`)),
        drawnW: flow?.watts ?? children.reduce((sum, it) => sum + it.nearW, 0),
        children,
      },
    ];
  });
}

/** The ends of a tree, top to bottom. */
export function endsOf(node: Node): Node[] {
  return node.children.length === 0 ? [node] : node.children.flatMap(endsOf);
}
