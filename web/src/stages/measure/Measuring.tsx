import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Measure, type MeasureKind, type Tried } from "../../client/api";
import { Picker } from "../../pictures/Picker";
import type { Box } from "../../pictures/Viewer";
import { title } from "../../specimen/report";
import type { Finished } from "../../specimen/stack";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { useCommands } from "../../ui/commands";
import { TextField } from "../../ui/Field";
import { Failures, Notice, Placeholder } from "../../ui/Notice";
import { Budget, Docket } from "./Docket";
import { Label, Line, Ring } from "./Drawn";
import { enough, KINDS, type Kind, ORDER, type Point, stated } from "./kinds";
import { Section } from "./Section";
import { usePicking } from "./usePicking";

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
  const kind = kinds.find((one) => one.kind === picking.kind) as MeasureKind;
  const [first, second] = picking.faces;
  const asked: Tried = {
    kind: picking.kind,
    points: first,
    ...(picking.kind === "dihedral" ? { points_b: second } : {}),
  };
  const whole = enough(kind, first, second);
  const tried = useQuery({
    queryKey: ["tried", mergeId, asked, measuring.um_per_px],
    queryFn: () => api.tryMeasure(mergeId, asked),
    enabled: whole,
    placeholderData: keepPreviousData,
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
      setName("");
      setAgain(null);
      setOpen(taken.id);
      pick.clear();
    },
  });
  const snap = useMutation({
    mutationFn: async () => {
      const index = picking.chosen ?? points.length - 1;
      const at = points[index];
      if (!at) return null;
      const { place } = await api.snap(mergeId, ...at);
      if (place) pick.move(index, place as Point);
      return place;
    },
  });
  const begin = (next: Kind) => {
    setAgain(null);
    pick.begin(next);
  };
  const usable = ORDER.filter(
    (one) => measuring.has_depth || !kinds.find((k) => k.kind === one)?.needs_depth,
  );
  const turn = (by: number) =>
    begin(usable[(usable.indexOf(picking.kind) + by + usable.length) % usable.length] as Kind);
  const ready = whole && tried.data !== undefined && !tried.error;
  useCommands({
    takeMeasure: () => ready && take.mutate(),
    snap: () => snap.mutate(),
    dropPlace: pick.drop,
    clearPlaces: pick.clear,
    secondFace: () => picking.kind === "dihedral" && pick.turn(picking.face === 0 ? 1 : 0),
    nextKind: () => turn(1),
    kindBefore: () => turn(-1),
  });
  const openMeasure = (id: number | null) => {
    setOpen(id);
    const places = measuring.measures.find((one) => one.id === id)?.picks[0]?.points;
    if (places) setGoTo(around(places as Point[], measuring.width_px, measuring.height_px));
  };
  const outline = (of: string) => kinds.find((one) => one.kind === of)?.outline ?? false;
  return (
    <div className="grid h-full grid-cols-[clamp(168px,16vw,216px)_minmax(0,1fr)_clamp(270px,25vw,350px)] small:block small:h-auto">
      <KindList kinds={kinds} chosen={picking.kind} hasDepth={measuring.has_depth} onChoose={begin} />
      <div className="flex min-h-0 min-w-0 flex-col border-ink border-x">
        <Picker
          mergeId={mergeId}
          points={points}
          chosen={picking.chosen}
          goTo={goTo}
          onPick={(at) => {
            setOpen(null);
            pick.pick(kind, at);
          }}
          onChoose={pick.choose}
          onMove={pick.move}
          onScale={setScale}
          overlay={
            <>
              {measuring.measures.map((one) => (
                <g key={one.id}>
                  {[one.picks[0]?.points, one.picks[0]?.points_b].map(
                    (places, face) =>
                      places && (
                        <Line
                          // biome-ignore lint/suspicious/noArrayIndexKey: the first face and the second
                          key={face}
                          points={places as Point[]}
                          closed={outline(one.kind)}
                          joined={one.kind !== "count"}
                          lit={one.id === open}
                        />
                      ),
                  )}
                  <Label measure={one} scale={scale} />
                </g>
              ))}
              {picking.faces.map((places, face) => (
                <Line
                  // biome-ignore lint/suspicious/noArrayIndexKey: the first face and the second
                  key={face}
                  points={places}
                  closed={kind.outline}
                  joined={picking.kind !== "count"}
                  lit
                />
              ))}
              {picking.chosen !== null && points[picking.chosen] && (
                <Ring at={points[picking.chosen] as Point} scale={scale} />
              )}
            </>
          }
          corner={<p className="text-[0.875rem]">{KINDS[picking.kind].pick}</p>}
        />
        {measuring.has_depth && (
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
        <section
          aria-label="Being picked"
          className="max-h-[60%] shrink-0 space-y-2 overflow-y-auto border-ink border-b px-4 py-2"
        >
          <div className="flex items-baseline justify-between gap-3">
            <h2 className="text-[1.0625rem]">
              {again ? `${again.name}, once more` : KINDS[picking.kind].label}
            </h2>
            <output aria-label="Value" className="whitespace-nowrap text-[1.25rem] font-bold">
              {whole && tried.data ? stated(tried.data.value, tried.data.expanded, tried.data.unit) : "–"}
            </output>
          </div>
          {!again && <TextField label="Name (its number, if empty)" value={name} onChange={setName} />}
          <div className="flex flex-wrap gap-2">
            <Button
              look="next"
              command="takeMeasure"
              disabled={!ready || take.isPending}
              onClick={() => take.mutate()}
            >
              {again ? "Add this pick" : "Take the measure"}
            </Button>
            <Button
              command="snap"
              className="px-3"
              disabled={points.length === 0 || snap.isPending}
              onClick={() => snap.mutate()}
            >
              Snap to edge
            </Button>
            {picking.kind === "dihedral" && (
              <Button
                command="secondFace"
                className="px-3"
                aria-pressed={picking.face === 1}
                onClick={() => pick.turn(picking.face === 0 ? 1 : 0)}
              >
                Second face
              </Button>
            )}
            <Button
              look="quiet"
              command="clearPlaces"
              className="px-2"
              disabled={first.length + second.length === 0}
              onClick={pick.clear}
            >
              Begin anew
            </Button>
          </div>
          {snap.isSuccess && snap.data === null && (
            <p role="status">There is no edge within 12 px of this place.</p>
          )}
          <Failures of={[take.error, snap.error]} />
          {whole && tried.data && <Budget told={tried.data} />}
          {whole && tried.error && <Notice kind="fault">{tried.error.message}</Notice>}
        </section>
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

function KindList({
  kinds,
  chosen,
  hasDepth,
  onChoose,
}: {
  kinds: MeasureKind[];
  chosen: Kind;
  hasDepth: boolean;
  onChoose: (kind: Kind) => void;
}) {
  const needs = (one: Kind) => kinds.find(({ kind }) => kind === one)?.needs_depth ?? false;
  return (
    <fieldset className="min-h-0 overflow-y-auto px-3 py-2">
      <legend className="sr-only">What to measure</legend>
      {[false, true].map((deep) => (
        <div key={String(deep)}>
          <h2 className="mt-2 text-[0.9375rem] text-ink2">{deep ? "With depth" : "In the picture"}</h2>
          {ORDER.filter((one) => needs(one) === deep).map((one) => (
            <label
              key={one}
              className={`flex min-h-8 cursor-pointer items-center gap-2 border-l-4 pl-2 has-focus-visible:outline-2 ${one === chosen ? "border-amber bg-amber-wash font-bold" : "border-transparent"} ${deep && !hasDepth ? "text-ink3" : ""}`}
            >
              <input
                type="radio"
                name="measure-kind"
                className="sr-only"
                checked={one === chosen}
                disabled={deep && !hasDepth}
                onChange={() => onChoose(one)}
              />
              {KINDS[one].label}
            </label>
          ))}
          {deep && !hasDepth && (
            <p className="text-[0.875rem] text-ink2">
              This merge knows no depth in µm: its step or positions were not known.
            </p>
          )}
        </div>
      ))}
    </fieldset>
  );
}

function Scale({ measuring }: { measuring: BenchProps["measuring"] }) {
  return (
    <details className="text-[0.9375rem]">
      <summary className="min-h-8 cursor-pointer py-1">
        {stated(measuring.um_per_px, 2 * measuring.u_um_per_px, "µm a px")},{" "}
        {measuring.scale_from === "measured" ? "measured" : <strong>scale nominal</strong>}
      </summary>
      <ul className="list-disc pb-1 pl-5 text-[0.875rem] text-ink2">
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
