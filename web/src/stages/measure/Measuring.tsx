import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useState } from "react";
import { api, type Measure, type MeasureKind, type SeriesItem, type Tried } from "../../client/api";
import { keptOfSame } from "../../lib/kept";
import { DepthLegend } from "../../pictures/DepthLegend";
import { Picker } from "../../pictures/Picker";
import type { Box } from "../../pictures/Viewer";
import { title } from "../../specimen/report";
import type { Finished } from "../../specimen/stack";
import { Choice } from "../../ui/Choice";
import { useCommands } from "../../ui/commands";
import { Notice, Placeholder } from "../../ui/Notice";
import { OneOf } from "../../ui/OneOf";
import { BeingPicked } from "./BeingPicked";
import { Docket } from "./Docket";
import { KindList } from "./KindList";
import { enough, KINDS, type Kind, LINES, ORDER, type Point, stated } from "./kinds";
import { Overlay } from "./Overlay";
import { ReferenceList, ReferencePanel } from "./ReferencePanel";
import { REFERENCES, useReference } from "./reference";
import { Section } from "./Section";
import { SeenAs, useSeen } from "./SeenAs";
import { SeriesList } from "./series/SeriesList";
import { usePicking } from "./usePicking";

// What draws in 3D is large, and is fetched where it is wanted only.
const ReliefView = lazy(() => import("./relief/ReliefView"));

const BY = [
  { value: "kind", label: "Kind" },
  { value: "series", label: "Series" },
  { value: "scale", label: "Scale" },
] as const;

interface Props {
  shown: Finished;
  finished: Finished[];
  onMerge: (id: number) => void;
}

/** The picture with what is measured on it, the section below, the slip beside. */
export function Measuring({ shown, finished, onMerge }: Props) {
  const mergeId = shown.merge.id;
  const kinds = useQuery({
    queryKey: ["measureKinds"],
    queryFn: api.measureKinds,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const found = useQuery({ queryKey: ["measuring", mergeId], queryFn: () => api.measuring(mergeId) });
  if (found.error)
    return (
      <Placeholder>
        <Notice kind="fault" title="Nothing can be measured here.">
          {found.error.message}
        </Notice>
      </Placeholder>
    );
  if (!found.data || !kinds.data) return <Placeholder>Laying the measures out …</Placeholder>;
  return <Bench {...{ shown, finished, onMerge }} measuring={found.data} kinds={kinds.data} />;
}

type BenchProps = Props & {
  measuring: NonNullable<Awaited<ReturnType<typeof api.measuring>>>;
  kinds: MeasureKind[];
};

function Bench({ shown, finished, onMerge, measuring, kinds }: BenchProps) {
  const mergeId = shown.merge.id;
  const queries = useQueryClient();
  const { picking, points, ...pick } = usePicking("length");
  const [again, setAgain] = useState<Measure | null>(null);
  const [name, setName] = useState("");
  const [open, setOpen] = useState<number | null>(null);
  const [scale, setScale] = useState(1);
  const [goTo, setGoTo] = useState<Box | null>(null);
  const [at, setAt] = useState<{ x: number; y: number } | null>(null);
  const series = useQuery({ queryKey: ["measureSeries", mergeId], queryFn: () => api.series(mergeId) });
  const [by, setBy] = useState<"kind" | "series" | "scale">(measuring.um_per_px === null ? "scale" : "kind");
  const [item, setItem] = useState<string | null>(null);
  const reference = useReference(mergeId);
  const scaling = by === "scale";
  const view = useSeen(mergeId, measuring.has_depth);
  const kind = kinds.find((one) => one.kind === picking.kind) as MeasureKind;
  const [first, second] = picking.faces;
  const asked: Tried = {
    kind: picking.kind,
    points: first,
    ...(picking.kind === "dihedral" ? { points_b: second } : {}),
  };
  const whole = enough(kind, first, second);
  const triedKey = ["tried", mergeId, picking.kind, asked, measuring.um_per_px];
  const tried = useQuery({
    queryKey: triedKey,
    queryFn: () => api.tryMeasure(mergeId, asked),
    enabled: whole,
    placeholderData: keptOfSame(triedKey, 3),
    retry: false,
  });
  const line =
    open === null ? first : (measuring.measures.find((one) => one.id === open)?.picks[0]?.points ?? []);
  const section = useQuery({
    queryKey: ["section", mergeId, line, measuring.um_per_px],
    queryFn: () => api.tryMeasure(mergeId, { kind: "profile", points: line as Point[] }),
    enabled: measuring.has_depth && line.length > 1,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const take = useMutation({
    mutationFn: async () =>
      again
        ? api.pickAgain(again.id, { points: asked.points, points_b: asked.points_b ?? null })
        : api.takeMeasure(mergeId, { ...asked, name: name.trim() }),
    onSuccess: async (taken) => {
      await queries.invalidateQueries({ queryKey: ["measuring", mergeId] });
      void queries.invalidateQueries({ queryKey: ["stack"] });
      void queries.invalidateQueries({ queryKey: ["measureSeries"] });
      setName("");
      setAgain(null);
      setOpen(taken.id);
      pick.clear();
      if (item !== null) nextOfSeries();
    },
  });
  const shownPoints = scaling ? reference.points : points;
  const snap = useMutation({
    mutationFn: async () => {
      const index = (scaling ? reference.chosen : picking.chosen) ?? shownPoints.length - 1;
      const at = shownPoints[index];
      if (!at) return null;
      const { place } = await api.snap(mergeId, ...at);
      if (place) (scaling ? reference : pick).move(index, place as Point);
      return place;
    },
  });
  const begin = (next: Kind) => {
    setAgain(null);
    setItem(null);
    pick.begin(next);
  };
  const beginItem = (one: SeriesItem) => {
    begin(one.kind as Kind);
    setItem(one.name);
    setName(one.name);
  };
  /** The next of the series that is not taken yet, after what is being picked now. */
  const nextOfSeries = () => {
    const items = series.data?.items ?? [];
    const at = items.findIndex((one) => one.name === item);
    const next = [...items.slice(at + 1), ...items.slice(0, Math.max(at, 0))].find(
      (one) => one.taken === null,
    );
    if (!next) return;
    setBy("series");
    beginItem(next);
  };
  const usable = ORDER.filter(
    (one) => measuring.has_depth || !kinds.find((k) => k.kind === one)?.needs_depth,
  );
  const turn = (by: number) =>
    begin(usable[(usable.indexOf(picking.kind) + by + usable.length) % usable.length] as Kind);
  const ready = whole && tried.data !== undefined && !tried.error;
  useCommands({
    takeMeasure: () => !scaling && ready && take.mutate(),
    snap: () => snap.mutate(),
    dropPlace: scaling ? reference.dropPlace : pick.drop,
    clearPlaces: scaling ? reference.clear : pick.clear,
    nextOfSeries,
    secondFace: () => picking.kind === "dihedral" && pick.turn(picking.face === 0 ? 1 : 0),
    nextKind: () => turn(1),
    kindBefore: () => turn(-1),
  });
  const openMeasure = (id: number | null) => {
    setOpen(id);
    const places = measuring.measures.find((one) => one.id === id)?.picks[0]?.points;
    if (places) setGoTo(around(places as Point[], measuring.width_px, measuring.height_px));
  };
  return (
    <div className="grid h-full grid-cols-[clamp(12.75rem,16vw,14rem)_minmax(0,1fr)_clamp(270px,25vw,350px)] small:block small:h-auto">
      <div className="min-h-0 overflow-y-auto px-2 py-2">
        <div className="mb-2 w-fit">
          <OneOf label="Measure by" value={by} options={BY} onChange={setBy} />
        </div>
        {by === "kind" ? (
          <KindList kinds={kinds} chosen={picking.kind} hasDepth={measuring.has_depth} onChoose={begin} />
        ) : by === "scale" ? (
          <ReferenceList reference={reference} />
        ) : series.data ? (
          <SeriesList
            series={series.data}
            measuring={measuring}
            current={item}
            onItem={(one) => {
              beginItem(one);
              if (one.taken !== null) openMeasure(one.taken);
            }}
          />
        ) : (
          <p className="text-ink2">{series.error?.message ?? "Fetching the series …"}</p>
        )}
      </div>
      <div className="flex min-h-0 min-w-0 flex-col border-ink border-x">
        {view.seen === "relief" && view.legend ? (
          <Suspense fallback={<Placeholder>Fetching what draws reliefs …</Placeholder>}>
            <ReliefView
              measuring={measuring}
              legend={view.legend}
              contours={view.every}
              choice={<SeenAs {...view} />}
            />
          </Suspense>
        ) : (
          <Picker
            mergeId={mergeId}
            seen={view.seen === "depth" ? "depth" : "composite"}
            choice={measuring.has_depth && <SeenAs {...view} />}
            onPoint={setAt}
            points={shownPoints}
            chosen={scaling ? reference.chosen : picking.chosen}
            goTo={goTo}
            lines={scaling ? REFERENCES[reference.kind].most === 2 : LINES.has(picking.kind)}
            onPick={(at) => {
              setOpen(null);
              if (scaling) reference.pick(at);
              else pick.pick(kind, at);
            }}
            onChoose={scaling ? reference.choose : pick.choose}
            onMove={scaling ? reference.move : pick.move}
            onScale={setScale}
            overlay={
              <Overlay
                measuring={measuring}
                kinds={kinds}
                open={open}
                scale={scale}
                lined={view.lined}
                every={view.every}
                picking={picking}
                reference={scaling ? reference : null}
              />
            }
            corner={
              <div className="space-y-1">
                {view.seen === "depth" && view.legend && (
                  <DepthLegend legend={view.legend} mergeId={mergeId} at={at} />
                )}
                <p className="text-[0.875rem]">
                  {scaling ? REFERENCES[reference.kind].pick : KINDS[picking.kind].pick}
                </p>
              </div>
            }
          />
        )}
        {measuring.has_depth && (view.seen !== "relief" || line.length > 1) && (
          <Section
            told={line.length > 1 ? section.data : undefined}
            name={measuring.measures.find((one) => one.id === open)?.name ?? "the line"}
          />
        )}
      </div>
      <div className="flex min-h-0 flex-col bg-card">
        <div className="border-ink border-b px-4 py-2">
          {finished.length > 1 && (
            <Choice
              label="Measured on"
              value={String(mergeId)}
              options={finished.map(({ take, merge }) => ({
                value: String(merge.id),
                label: `${title(merge)}, take ${take.number}`,
              }))}
              onChange={(id) => onMerge(Number(id))}
              beside
            />
          )}
          <Scale measuring={measuring} />
        </div>
        {scaling ? (
          <ReferencePanel reference={reference} measuring={measuring} />
        ) : (
          <BeingPicked
            {...{ picking, again, name, ready, whole, tried, take, snap, pick }}
            onName={setName}
          />
        )}
        <Docket
          shown={measuring}
          open={open}
          onOpen={openMeasure}
          onAgain={(one) => {
            begin(one.kind as Kind);
            setAgain(one);
          }}
        />
      </div>
    </div>
  );
}

function Scale({ measuring }: { measuring: BenchProps["measuring"] }) {
  return (
    <details className="text-[0.9375rem]">
      <summary className="min-h-8 cursor-pointer py-1">
        {measuring.um_per_px === null ? (
          <strong>Scale not known: set it from this picture</strong>
        ) : (
          <>
            {stated(measuring.um_per_px, 2 * (measuring.u_um_per_px ?? 0), "µm a px")},{" "}
            {measuring.reference ? (
              "from this picture"
            ) : measuring.scale_from === "measured" ? (
              "measured"
            ) : (
              <strong>scale nominal</strong>
            )}
          </>
        )}
      </summary>
      <ul className="list-disc pb-1 pl-5 text-[0.875rem] text-ink2">
        {measuring.found.map((one) => (
          <li key={one}>Found: {one}</li>
        ))}
        {measuring.assumed.map((one) => (
          <li key={one}>Assumed: {one}</li>
        ))}
      </ul>
    </details>
  );
}

/** The part of the picture about some places, with room around. */
function around(places: Point[], width: number, height: number): Box {
  const [xs, ys] = [places.map(([x]) => x), places.map(([, y]) => y)];
  const [left, top] = [Math.min(...xs), Math.min(...ys)];
  const [wide, high] = [Math.max(...xs) - left, Math.max(...ys) - top];
  const room = Math.max(wide, high, 40);
  return {
    x: Math.max(left - room, 0),
    y: Math.max(top - room, 0),
    width: Math.min(wide + 2 * room, width),
    height: Math.min(high + 2 * room, height),
  };
}
