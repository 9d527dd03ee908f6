import * as Plot from "@observablehq/plot";
import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useEffect, useRef, useState } from "react";
import { api, type LedgerPlot } from "../../client/api";
import { keptOfSame } from "../../lib/kept";
import { plural, trimmed } from "../../lib/numbers";
import { Choice } from "../../ui/Choice";
import { Notice } from "../../ui/Notice";
import { filterOf, type Search } from "./search";

interface Kind {
  label: string;
  x: string;
  y: string;
  xLabel: string;
  yLabel: string;
  log?: boolean;
  /** A line at which both are equal, and what it means. */
  equal?: string;
  /** The names stand along the other axis. */
  turned?: boolean;
  said: string;
}

const KINDS: Readonly<Record<string, Kind>> = {
  step: {
    label: "Step against sharp depth",
    x: "sharp_um",
    y: "step_in_medium_um",
    xLabel: "sharp depth, µm",
    yLabel: "step, µm",
    log: true,
    equal: "step = sharp depth: gaps begin",
    said: "Above the line, something between two rungs is sharp in neither.",
  },
  detail: {
    label: "Effective aperture against detail",
    x: "effective_f_number",
    y: "detail_um",
    xLabel: "effective aperture, f/",
    yLabel: "detail, µm",
    log: true,
    said: "Stopping down costs detail.",
  },
  depth: {
    label: "Depth needed, by kind",
    x: "specimen_kind",
    y: "depth_um",
    xLabel: "depth, µm",
    yLabel: "",
    turned: true,
    said: "How deep each stack really was.",
  },
  frames: {
    label: "Frames shot against those that carried",
    x: "frames_shot",
    y: "frames_carried",
    xLabel: "frames shot",
    yLabel: "frames that gave 1 % and more",
    equal: "all carried",
    said: "Far below the line, many frames were shot for nothing.",
  },
  time: {
    label: "Time for a stack",
    x: "shot_at",
    y: "seconds",
    xLabel: "shot",
    yLabel: "shooting and merging, s",
    log: true,
    said: "Shooting at the bench and merging together.",
  },
  scale: {
    label: "Scale over time",
    x: "shot_at",
    y: "um_per_px",
    xLabel: "shot",
    yLabel: "µm/px, ± 2 u",
    said: "A scale that wanders by more than its bars drifts: measure it again.",
  },
};
const HEIGHT = 330;

interface Props {
  which: string;
  search: Search;
  set: (change: Partial<Search>) => void;
}

/** What people would rather see than read. A point opens its stack; a frame drawn over points filters the table. */
export default function Plots({ which, search, set }: Props) {
  const key = which in KINDS ? which : "step";
  const kind = KINDS[key] as Kind;
  const foundKey = ["ledger", "plot", kind.x, kind.y, filterOf(search)];
  const found = useQuery({
    queryKey: foundKey,
    queryFn: () => api.ledgerPlot({ ...filterOf(search), x: kind.x, y: kind.y }),
    placeholderData: keptOfSame(foundKey, 4),
  });
  return (
    <>
      <Choice
        label="Plot"
        value={key}
        options={Object.entries(KINDS).map(([value, { label }]) => ({ value, label }))}
        onChange={(plot) => set({ plot })}
      />
      {found.isError && <Notice kind="fault">{found.error.message}</Notice>}
      {found.data?.stack_id.length === 0 && <p className="mt-3">There is nothing to draw.</p>}
      {found.data && found.data.stack_id.length > 0 && (
        <Drawn kind={kind} points={found.data} search={search} set={set} />
      )}
      <p className="mt-2 text-[0.875rem] text-ink2">
        {kind.said}
        {!!found.data?.left && ` ${plural(found.data.left, "stack")} not drawn: not known.`}
      </p>
      <p className="mt-1 text-[0.875rem] text-ink2">
        A click on a point opens its stack; draw a frame over points to see them alone in the table. By
        keyboard: Add a filter.
      </p>
    </>
  );
}

type Corner = { x: number; y: number };

function Drawn({ kind, points, search, set }: { kind: Kind; points: LedgerPlot } & Omit<Props, "which">) {
  const host = useRef<HTMLDivElement>(null);
  const chart = useRef<ReturnType<typeof Plot.plot> | null>(null);
  const [width, setWidth] = useState(0);
  const [frame, setFrame] = useState<[Corner, Corner] | null>(null);
  const navigate = useNavigate();
  useEffect(() => {
    const element = host.current;
    if (!element) return;
    const watch = new ResizeObserver(() => setWidth(element.clientWidth));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  useEffect(() => {
    const element = host.current;
    if (!element || width === 0) return;
    const drawn = plotOf(kind, points, width);
    chart.current = drawn;
    // Names of its groups would be read, and say nothing: the picture has one of its own.
    for (const named of drawn.querySelectorAll("[aria-label]")) named.removeAttribute("aria-label");
    drawn.setAttribute("role", "img");
    drawn.setAttribute("aria-label", `${kind.label}: ${plural(points.stack_id.length, "point")}`);
    element.replaceChildren(drawn);
    return () => drawn.remove();
  }, [kind, points, width]);
  const at = (event: React.PointerEvent): Corner => {
    const box = host.current?.getBoundingClientRect();
    return { x: event.clientX - (box?.left ?? 0), y: event.clientY - (box?.top ?? 0) };
  };
  const done = () => {
    const drawn = chart.current;
    if (!frame || !drawn) return;
    setFrame(null);
    const [one, two] = frame;
    if (Math.hypot(one.x - two.x, one.y - two.y) < 5) {
      const stack = nearest(drawn, kind, points, two);
      if (stack !== null)
        void navigate({ to: "/stacks/$stackId/$stage", params: { stackId: String(stack), stage: "plan" } });
      return;
    }
    set(chosenBy(drawn, kind, search, one, two));
  };
  return (
    <div
      className="relative touch-none select-none"
      style={{ height: HEIGHT }}
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        setFrame([at(event), at(event)]);
      }}
      onPointerMove={(event) => frame && setFrame([frame[0], at(event)])}
      onPointerUp={done}
      onPointerCancel={() => setFrame(null)}
    >
      <div ref={host} className="h-full" />
      {frame && (
        <div
          aria-hidden="true"
          className="pointer-events-none absolute border-2 border-mark bg-mark/15"
          style={{
            left: Math.min(frame[0].x, frame[1].x),
            top: Math.min(frame[0].y, frame[1].y),
            width: Math.abs(frame[0].x - frame[1].x),
            height: Math.abs(frame[0].y - frame[1].y),
          }}
        />
      )}
    </div>
  );
}

interface Point {
  x: number | Date | string;
  y: number;
  u: number | null;
  label: string;
  group: string;
}

function pointsOf({ x, y, u, label, group }: LedgerPlot, time: boolean): Point[] {
  return x.map((one, i) => ({
    x: time ? new Date(String(one)) : (one as number | string),
    y: y[i] as number,
    u: u?.[i] ?? null,
    label: label[i] ?? "",
    group: group[i] ?? "",
  }));
}

function plotOf(kind: Kind, found: LedgerPlot, width: number) {
  const time = kind.x.endsWith("_at");
  const data = pointsOf(found, time);
  const place = kind.turned ? { x: "y", y: "x" } : { x: "x", y: "y" };
  const dots = Plot.dot(data, {
    ...place,
    r: data.length > 500 ? 2 : 4,
    fill: (one: Point) =>
      kind.x === "sharp_um" && one.y > Number(one.x) ? "var(--fault)" : "var(--amber-fill)",
    stroke: "var(--amber)",
    title: (one: Point) => `${one.label}, ${one.group}`,
  });
  const numbers = data
    .flatMap((one) => (typeof one.x === "number" ? [one.x, one.y] : [one.y]))
    .filter((one) => one > 0);
  const ends = [Math.min(...numbers), Math.max(...numbers)] as const;
  const marks: Plot.Markish[] = [];
  if (kind.equal && numbers.length > 0) {
    const line = [ends[0], ends[1]].map((end) => ({ x: end, y: end }));
    marks.push(
      Plot.line(line, { x: "x", y: "y", stroke: "var(--fault)", strokeDasharray: "5 4" }),
      Plot.text([line[1]], {
        x: "x",
        y: "y",
        text: () => kind.equal ?? "",
        textAnchor: "end",
        dy: -8,
        dx: -4,
        fill: "var(--fault)",
      }),
    );
  }
  if (data.some((one) => one.u !== null))
    marks.push(
      Plot.ruleX(data, {
        x: "x",
        y1: (one: Point) => one.y - 2 * (one.u ?? 0),
        y2: (one: Point) => one.y + 2 * (one.u ?? 0),
        stroke: "var(--amber)",
      }),
    );
  return Plot.plot({
    width,
    height: HEIGHT,
    marginLeft: kind.turned ? 90 : 56,
    marginBottom: 42,
    marginTop: 34,
    inset: 8,
    style: { fontFamily: "inherit", fontSize: "13px", color: "var(--ink2)", background: "transparent" },
    x: {
      label: kind.xLabel,
      labelAnchor: "center",
      labelArrow: "none",
      ...(time ? {} : { tickFormat: figure }),
      ...(kind.log && !time ? logarithmic(data.map((one) => Number(one.x))) : {}),
    },
    y: {
      label: kind.yLabel,
      labelArrow: "none",
      ...(kind.turned
        ? { type: "point" as const }
        : kind.log
          ? { type: "log" as const, tickFormat: figure }
          : { tickFormat: figure }),
    },
    marks: [...marks, dots],
  });
}

const figure = (value: number) => trimmed(Number(value.toPrecision(4)).toString());

/** A logarithmic axis with five figures along it, however little of a decade it spans. */
function logarithmic(values: number[]) {
  const there = values.filter((one) => one > 0);
  const [low, high] = [Math.min(...there), Math.max(...there)];
  if (there.length === 0) return { type: "log" as const };
  const ticks = [0, 1, 2, 3, 4].map((i) => Number((low * (high / low) ** (i / 4)).toPrecision(2)));
  return { type: "log" as const, ticks: [...new Set(ticks)], tickFormat: figure };
}

type Scales = ReturnType<typeof Plot.plot>;

/** The stack whose point is nearest to a place, within the reach of a finger. */
function nearest(drawn: Scales, kind: Kind, found: LedgerPlot, at: Corner): number | null {
  const [across, up] = [drawn.scale("x"), drawn.scale("y")];
  if (!across || !up) return null;
  let best: number | null = null;
  let least = 14;
  pointsOf(found, kind.x.endsWith("_at")).forEach((one, i) => {
    const [x, y] = kind.turned
      ? [across.apply(one.y), up.apply(one.x)]
      : [across.apply(one.x), up.apply(one.y)];
    const apart = Math.hypot(x - at.x, y - at.y);
    if (apart < least) [best, least] = [found.stack_id[i] ?? null, apart];
  });
  return best;
}

/** What the filter becomes by a frame drawn over the plot. */
function chosenBy(drawn: Scales, kind: Kind, search: Search, one: Corner, two: Corner): Partial<Search> {
  const [across, up] = [drawn.scale("x"), drawn.scale("y")];
  const others = (search.range ?? []).filter(
    (range) => !range.startsWith(`${kind.x}:`) && !range.startsWith(`${kind.y}:`),
  );
  const ends = (scale: typeof across, a: number, b: number) =>
    [scale?.invert?.(a), scale?.invert?.(b)].map(Number).sort((low, high) => low - high);
  const range = (key: string, [low = 0, high = 0]: number[]) =>
    `${key}:${Number(low.toPrecision(4))}:${Number(high.toPrecision(4))}`;
  if (kind.turned) return { range: [...others, range(kind.y, ends(across, one.x, two.x))] };
  const tall = range(kind.y, ends(up, one.y, two.y));
  if (!kind.x.endsWith("_at")) return { range: [...others, range(kind.x, ends(across, one.x, two.x)), tall] };
  const days = ends(across, one.x, two.x).map((moment) => new Date(moment).toISOString().slice(0, 10));
  return { since: days[0], until: days[1], range: [...others, tall] };
}
