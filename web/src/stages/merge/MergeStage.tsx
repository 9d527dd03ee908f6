import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useMemo, useState } from "react";
import { api, type Merge, type Stack, type Take } from "../../client/api";
import { Ladder } from "../../ladder/Ladder";
import { drawing } from "../../ladder/layout";
import { duration, plural, um } from "../../lib/numbers";
import { type Shown, Viewer } from "../../pictures/Viewer";
import { depth } from "../../specimen/figures";
import { SeriesWarnings } from "../../specimen/SeriesWarnings";
import { finishedMerges, latestTake, useStack } from "../../specimen/stack";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Notice, Placeholder } from "../../ui/Notice";
import { Work } from "../../ui/Work";

const METHODS = { pyramid: "Pyramid", select: "Depth pick", blend: "Contrast blend" } as const;
type Method = keyof typeof METHODS;
const PHASES: Record<string, string> = {
  register: "Aligning and measuring focus",
  merge: "Merging",
  save: "Saving",
};

interface Report {
  crop: { x: number; y: number; width: number; height: number };
  frames_used: string[];
  excluded: Array<{ file: string; reason: string }>;
  coverage: { gaps: Array<{ after_frame: string; before_frame: string }>; depth_known: number };
  registration: Array<{ file: string; matrix: number[][] }>;
  reference_frame: string;
  seconds: number;
  warnings?: string[];
}

const title = (merge: Merge) => `${METHODS[merge.method as Method] ?? merge.method}, run ${merge.number}`;

/** Merge the take, and judge what came of it at 1:1. */
export default function MergeStage() {
  const stack = useStack();
  const finished = finishedMerges(stack);
  const take = latestTake(stack);
  const [chosenMerge, setChosenMerge] = useState<number | null>(null);
  const newest = finished.at(-1);
  const shown = finished.find(({ merge }) => merge.id === chosenMerge) ?? newest;

  if (!shown)
    return (
      <div className="grid h-full grid-cols-[264px_1fr]">
        <Ladder drawing={drawing(stack.plan, stack.ladder, take)} caption={take ? "shot" : "planned"} />
        <div className="p-6">
          <Start stack={stack} take={take} />
        </div>
      </div>
    );
  return (
    <Compare
      key={stack.id}
      stack={stack}
      take={take}
      shown={shown}
      finished={finished}
      onMerge={setChosenMerge}
    />
  );
}

function Start({ stack, take }: { stack: Stack; take: Take | undefined }) {
  if (!take?.complete)
    return (
      <Placeholder>
        There is nothing to merge yet: this ladder has not been shot.{" "}
        <Link
          to="/stacks/$stackId/$stage"
          params={{ stackId: String(stack.id), stage: "shoot" }}
          className="underline"
        >
          Shoot it or bring frames
        </Link>
        .
      </Placeholder>
    );
  return (
    <div className="max-w-xl space-y-4">
      <h2 className="text-[20px]">Merge {plural(take.frames.length, "frame")}</h2>
      <p className="text-ink2">
        Pyramid chooses per scale: best for bristles and overlaps, a little noisier. Depth pick takes each
        place from one frame: true tones, fails where hairs cross. Contrast blend averages by sharpness: calm
        and smooth, soft in the finest detail. Try more than one and compare at 1:1.
      </p>
      <MergeControls stack={stack} take={take} />
    </div>
  );
}

/** Start another merge, watch the running one, stop it. */
function MergeControls({ stack, take }: { stack: Stack; take: Take }) {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["stack", stack.id] });
  const begin = useMutation({
    mutationFn: (method: Method) => api.beginMerge(take.id, method),
    onSuccess: refresh,
  });
  const stop = useMutation({ mutationFn: (id: number) => api.stop(id), onSuccess: refresh });
  const running = take.merges.filter(({ task }) => task.state === "running" || task.state === "waiting");
  const last = take.merges.at(-1);
  const fresh = take.merges.every((merge) => merge.task.state !== "done");
  return (
    <div className="space-y-2">
      {running.map((merge) => (
        <Work
          key={merge.id}
          title={`${title(merge)}: ${merge.task.state === "waiting" ? "waiting for the worker" : (PHASES[merge.task.phase] ?? "starting")}`}
          done={merge.task.done}
          total={merge.task.total}
          secondsLeft={merge.task.seconds_left}
          onStop={() => stop.mutate(merge.task.id)}
        />
      ))}
      {last && running.length === 0 && last.task.state === "failed" && (
        <Notice kind="fault" title={`${title(last)} failed.`}>
          {last.task.message}
        </Notice>
      )}
      {last && running.length === 0 && last.task.state === "stopped" && (
        <Notice kind="hint" title={`${title(last)} was stopped.`}>
          Nothing was written.
        </Notice>
      )}
      {running.length === 0 && (
        <div className="flex flex-wrap gap-2">
          {(Object.keys(METHODS) as Method[]).map((method) => (
            <Button
              key={method}
              look={fresh && method === "pyramid" ? "next" : "plain"}
              disabled={begin.isPending}
              onClick={() => begin.mutate(method)}
            >
              Merge by {METHODS[method].toLowerCase()}
            </Button>
          ))}
        </div>
      )}
      {[begin.error, stop.error].map(
        (error) =>
          error && (
            <Notice key={error.message} kind="fault">
              {error.message}
            </Notice>
          ),
      )}
    </div>
  );
}

interface CompareProps {
  stack: Stack;
  take: Take | undefined;
  shown: { take: Take; merge: Merge };
  finished: Array<{ take: Take; merge: Merge }>;
  onMerge: (id: number) => void;
}

function Compare({ stack, take, shown, finished, onMerge }: CompareProps) {
  const [over, setOver] = useState("");
  const [against, setAgainst] = useState("");
  const options = useMemo(() => pictures(shown.take, finished), [shown.take, finished]);
  const composite = options.find((one) => one.value === `composite-${shown.merge.id}`);
  const left = options.find((one) => one.value === over) ?? composite;
  const right =
    options.find((one) => one.value === against) ??
    options.find((one) => one.value === `depth-${shown.merge.id}`);
  if (!left || !right) return null;
  const rightShown = right.shown;
  const report = shown.merge.report as unknown as Report;
  const drawn = drawing(stack.plan, stack.ladder, shown.take, shown.merge);
  const chosen =
    rightShown.kind === "frame" ? shown.take.frames.find((frame) => frame.id === rightShown.id) : undefined;

  return (
    <div className="grid h-full grid-cols-[264px_1fr]">
      <Ladder
        drawing={drawn}
        caption={drawn.unplaced > 0 ? "planned" : "share of picture"}
        chosen={chosen?.rung ?? null}
        onChoose={(rung) => rung.frame && setAgainst(`frame-${rung.frame.id}`)}
      />
      <div className="flex min-h-0 min-w-0 flex-col">
        <Viewer
          left={left.shown}
          right={rightShown}
          overlay={
            // What all frames share: beyond it nothing was measured, and exports leave it off.
            <rect
              {...report.crop}
              fill="none"
              stroke="var(--mark)"
              strokeWidth="1.5"
              strokeDasharray="6 4"
              vectorEffect="non-scaling-stroke"
            />
          }
        />
        <div className="flex max-h-[46%] shrink-0 flex-col overflow-y-auto border-ink border-t bg-sheet">
          <div className="flex flex-wrap items-center gap-x-6 border-rule border-b px-4">
            <div className="w-[300px]">
              <Choice beside label="Left" value={left.value} options={options} onChange={setOver} />
            </div>
            <div className="w-[380px]">
              <Choice beside label="Against" value={right.value} options={options} onChange={setAgainst} />
            </div>
            <span className="flex-1" />
            <Link
              to="/stacks/$stackId/$stage"
              params={{ stackId: String(stack.id), stage: "record" }}
              className="head my-1 inline-flex min-h-11 items-center rounded-s border border-amber bg-amber-fill px-4 text-on-amber"
            >
              Record and export
            </Link>
          </div>
          <ul className="flex flex-wrap">
            {finished.map((one) => (
              <li key={one.merge.id} className="border-rule border-r">
                <MergeCard
                  {...one}
                  takes={stack.takes.length}
                  pressed={one.merge.id === shown.merge.id}
                  onClick={() => {
                    setOver("");
                    onMerge(one.merge.id);
                  }}
                />
              </li>
            ))}
            {take?.complete && (
              <li className="min-w-80 flex-1 p-3">
                <MergeControls stack={stack} take={take} />
              </li>
            )}
          </ul>
          <Findings take={shown.take} report={report} />
        </div>
      </div>
    </div>
  );
}

function MergeCard({
  take,
  merge,
  takes,
  pressed,
  onClick,
}: {
  take: Take;
  merge: Merge;
  takes: number;
  pressed: boolean;
  onClick: () => void;
}) {
  const report = merge.report as unknown as Report;
  return (
    <button
      type="button"
      aria-pressed={pressed}
      onClick={onClick}
      className="h-full w-64 px-4 py-2 text-left text-[14px] hover:bg-card aria-pressed:bg-amber-wash"
    >
      <span className="head block text-[15px]">
        {title(merge)}
        {takes > 1 && `, take ${take.number}`}
      </span>
      <Line label="Frames used" value={`${report.frames_used.length} of ${take.frames.length}`} />
      <Line label="Depth" value={depth(merge)} />
      <Line label="Largest shift" value={`${largestShift(report).toFixed(1)} px`} />
      <Line label="Took" value={duration(report.seconds)} />
    </button>
  );
}

function Line({ label, value }: { label: string; value: string }) {
  return (
    <span className="flex justify-between">
      <span className="text-ink2">{label}</span>
      <span>{value}</span>
    </span>
  );
}

/** How far the alignment moved the middle of any frame. */
function largestShift(report: Report): number {
  return Math.max(
    0,
    ...report.registration.map(({ matrix }) => Math.hypot(matrix[0]?.[2] ?? 0, matrix[1]?.[2] ?? 0)),
  );
}

function Findings({ take, report }: { take: Take; report: Report }) {
  return (
    <div className="space-y-2 px-4 pb-3 empty:hidden">
      {report.warnings?.map((warning) => (
        <Notice key={warning} kind="hint">
          {warning}
        </Notice>
      ))}
      <SeriesWarnings take={take} />
      {report.coverage.gaps.map((gap) => (
        <Notice
          key={gap.after_frame}
          kind="fault"
          title={`Nothing sharp between ${gap.after_frame} and ${gap.before_frame}.`}
        >
          Rungs are missing there: the picture is soft at that depth. Shoot another take, or add the missing
          frames.
        </Notice>
      ))}
      {report.excluded.length > 0 && (
        <Notice kind="hint" title={`${plural(report.excluded.length, "frame")} left out.`}>
          {report.excluded.map((one) => `${one.file} ${one.reason}`).join("; ")}
        </Notice>
      )}
    </div>
  );
}

function pictures(
  take: Take,
  finished: Array<{ merge: Merge }>,
): Array<{ value: string; label: string; shown: Shown }> {
  const option = (kind: Shown["kind"], id: number, label: string) => ({
    value: `${kind}-${id}`,
    label,
    shown: { kind, id, label },
  });
  return [
    ...finished.flatMap(({ merge }) => [
      option("depth", merge.id, depthLabel(merge)),
      option("composite", merge.id, title(merge)),
    ]),
    ...take.frames.map((frame) => option("frame", frame.id, `Frame ${frame.name}`)),
  ];
}

function depthLabel(merge: Merge): string {
  const over = merge.depth_um === null ? " in frames" : ` over ${um(merge.depth_um)}`;
  return `Depth${over}, ${title(merge).toLowerCase()}`;
}
