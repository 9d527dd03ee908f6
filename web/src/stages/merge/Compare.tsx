import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useMemo, useState } from "react";
import { api, type Merge, type MergeSettings, type Stack, type Take } from "../../client/api";
import { refresh, show } from "../../client/live";
import { Ladder } from "../../ladder/Ladder";
import { drawing } from "../../ladder/layout";
import { digits, duration, trimmed } from "../../lib/numbers";
import { Contours, useContours } from "../../pictures/Contours";
import { DepthLegend } from "../../pictures/DepthLegend";
import { Outline } from "../../pictures/Outline";
import { type Box, type Shown, Viewer } from "../../pictures/Viewer";
import { depthText } from "../../specimen/figures";
import {
  depthLabel,
  FINDINGS,
  type Finding,
  isPlace,
  lacking,
  largestShift,
  type Method,
  orderText,
  otherWarnings,
  type Report,
  reportOf,
  settingsText,
  title,
} from "../../specimen/report";
import { SeriesWarnings } from "../../specimen/SeriesWarnings";
import type { Finished } from "../../specimen/stack";
import { TakeFrames } from "../../specimen/TakeFrames";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Discard } from "../../ui/Discard";
import { Check } from "../../ui/Field";
import { Notice } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";
import { MergeControls } from "./MergeControls";
import { Patches, patchBox } from "./Patches";

interface Props {
  stack: Stack;
  take: Take | undefined;
  shown: Finished;
  finished: Finished[];
  onMerge: (id: number) => void;
}

/** Two pictures against each other, and what is to be known of them. */
export function Compare({ stack, take, shown, finished, onMerge }: Props) {
  const [over, setOver] = useState("");
  const [against, setAgainst] = useState("");
  const [at, setAt] = useState<{ x: number; y: number } | null>(null);
  const [goTo, setGoTo] = useState<Finding | null>(null);
  const [lined, setLined] = useState(false);
  const lines = useContours(shown.merge.id, lined);
  const [wanted, setWanted] = useState<Wanted | null>(null);
  const [patch, setPatch] = useState<Box | null>(null);
  const options = useMemo(() => pictures(shown.take, finished), [shown.take, finished]);
  const composite = options.find((one) => one.value === `composite-${shown.merge.id}`);
  const left = options.find((one) => one.value === over) ?? composite;
  const right =
    options.find((one) => one.value === against) ??
    options.find((one) => one.value === `depth-${shown.merge.id}`);
  const ofDepth = [right, left].find((one) => one?.shown.kind === "depth")?.shown.id;
  const legend = useQuery({
    queryKey: ["depth", ofDepth],
    queryFn: () => api.depthOf(ofDepth ?? 0),
    enabled: ofDepth !== undefined,
    staleTime: Number.POSITIVE_INFINITY,
  });
  if (!left || !right) return null;
  const endPatch = () => {
    setPatch(null);
    setWanted(null);
  };
  const report = reportOf(shown.merge);
  const drawn = drawing(stack.plan, stack.ladder, shown.take, shown.merge);
  const chosen =
    right.shown.kind === "frame" ? shown.take.frames.find((frame) => frame.id === right.shown.id) : undefined;

  return (
    <div className="grid h-full grid-cols-[clamp(190px,20vw,264px)_minmax(0,1fr)] small:block small:h-auto">
      <Ladder
        drawing={drawn}
        caption={drawn.unplaced > 0 ? "planned" : "share of picture"}
        chosen={chosen?.rung ?? null}
        onChoose={(rung) => rung.frame && setAgainst(`frame-${rung.frame.id}`)}
      />
      <div className="flex min-h-0 min-w-0 flex-col">
        <Viewer
          left={left.shown}
          right={right.shown}
          onPoint={setAt}
          goTo={goTo}
          onDraw={
            wanted && !patch
              ? (drawn) => (drawn ? setPatch(patchBox(drawn, report.crop)) : setWanted(null))
              : undefined
          }
          corner={
            ofDepth !== undefined &&
            legend.data && <DepthLegend legend={legend.data} mergeId={ofDepth} at={at} />
          }
          overlay={
            // What all frames share: beyond it nothing was measured, and exports leave it off.
            <>
              <Outline box={report.crop} dashed />
              {lined && <Contours mergeId={shown.merge.id} />}
              {report.findings
                ?.filter((one) => isPlace(one, report))
                .map((one) => (
                  <Outline key={one.do} box={one} />
                ))}
            </>
          }
        />
        <div className="flex h-[36%] min-h-48 shrink-0 flex-col border-ink border-t bg-sheet small:h-auto">
          <div className="flex flex-wrap items-center gap-x-6 border-rule border-b px-4">
            <div className="min-w-0 max-w-[300px] flex-1">
              <Choice beside label="Left" value={left.value} options={options} onChange={setOver} />
            </div>
            <div className="min-w-0 max-w-[380px] flex-1">
              <Choice beside label="Against" value={right.value} options={options} onChange={setAgainst} />
            </div>
            <div>
              <Check label="Contour lines" checked={lined} onChange={setLined} />
              {lined && <p className="pb-1 text-[0.875rem] text-ink2">{linesText(lines)}</p>}
            </div>
            <Link
              to="/stacks/$stackId/$stage"
              params={{ stackId: String(stack.id), stage: "record" }}
              search
              className="head my-1 ml-auto inline-flex min-h-11 items-center rounded-s border border-amber bg-amber-fill px-4 text-on-amber"
            >
              Record and export
            </Link>
          </div>
          <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,1fr)_minmax(280px,38%)] small:block">
            <section aria-label="Results" className="overflow-y-auto">
              <Findings
                report={report}
                stack={stack}
                take={shown.take}
                onGo={(one) => {
                  if (isPlace(one, report)) setGoTo({ ...one });
                  const frame = shown.take.frames.find(({ name }) => name === one.files[0]);
                  if (frame) setAgainst(`frame-${frame.id}`);
                }}
              />
              <ul className="flex flex-wrap">
                {finished.map((one) => (
                  <li key={one.merge.id} className="border-rule border-r border-b">
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
              </ul>
              <Remarks take={shown.take} report={report} />
              <div className="flex flex-wrap items-center gap-x-2 px-4 py-1">
                <Counting merge={shown.merge} />
                <Discard
                  kind="merge"
                  label="Discard this merge"
                  id={shown.merge.id}
                  what={`${title(shown.merge)} of take ${shown.take.number}`}
                  onDone={() => setOver("")}
                />
              </div>
            </section>
            {take?.complete && (
              <div className="overflow-y-auto border-rule border-l p-3">
                <TakeFrames take={take} />
                <MergeControls
                  stack={stack}
                  take={take}
                  onTry={(settings, methods) => setWanted({ settings, methods })}
                />
              </div>
            )}
          </div>
        </div>
      </div>
      {wanted && patch && (
        <Panel
          open
          size="full"
          title={`A patch of ${patch.width} × ${patch.height} px, merged like this`}
          onClose={endPatch}
        >
          <Patches
            take={shown.take}
            merge={shown.merge}
            box={patch}
            settings={{ ...wanted.settings, moved: report.settings.moved ?? "auto" }}
            methods={wanted.methods}
            onMerged={endPatch}
          />
        </Panel>
      )}
    </div>
  );
}

/** How far apart lines of equal depth lie, or why there are none. */
function linesText({ data, error }: ReturnType<typeof useContours>): string {
  if (error) return error.message;
  if (!data) return "Drawing them …";
  return data.step === null
    ? "Depth is not known anywhere."
    : `one every ${trimmed(digits(data.step))} ${data.unit}`;
}

/** What shall be tried on a patch, once that is drawn. */
interface Wanted {
  settings: MergeSettings;
  methods: readonly Method[];
}

interface CardProps {
  take: Take;
  merge: Merge;
  takes: number;
  pressed: boolean;
  onClick: () => void;
}

function MergeCard({ take, merge, takes, pressed, onClick }: CardProps) {
  const report = reportOf(merge);
  return (
    <button
      type="button"
      aria-pressed={pressed}
      onClick={onClick}
      className="h-full w-64 px-4 py-2 text-left text-[0.875rem] hover:bg-card aria-pressed:bg-amber-wash"
    >
      <span className="head flex items-baseline justify-between gap-2 text-[0.9375rem]">
        <span>
          {title(merge)}
          {takes > 1 && `, take ${take.number}`}
        </span>
        {merge.counts && <span className="border border-ink px-1.5 text-[0.875rem]">counts</span>}
      </span>
      <Line label="Frames used" value={`${report.frames_used.length} of ${take.frames.length}`} />
      <Line label="Order" value={orderText(report)} />
      <Line label="Depth" value={depthText(merge)} />
      {settingsText(report) && <Line label="Settings" value={settingsText(report)} />}
      <Line label="Largest shift" value={`${largestShift(report).toFixed(1)} px`} />
      <Line label="Took" value={duration(report.seconds)} />
    </button>
  );
}

/** The record, the cabinet and the ledger follow one merge of a stack. */
function Counting({ merge }: { merge: Merge }) {
  const queries = useQueryClient();
  const choose = useMutation({
    mutationFn: () => api.letCount(merge.id),
    onSuccess: async (stack) => {
      await show(queries, ["stack", stack.id], stack);
      refresh(queries);
    },
  });
  if (merge.counts)
    return <p className="py-1 text-[0.9375rem]">This merge counts: record, cabinet and ledger follow it.</p>;
  return (
    <>
      <Button disabled={choose.isPending} onClick={() => choose.mutate()}>
        Let this merge count
      </Button>
      {choose.isError && <Notice kind="fault">{choose.error.message}</Notice>}
    </>
  );
}

function Line({ label, value }: { label: string; value: string }) {
  return (
    <span className="flex justify-between gap-2">
      <span className="text-ink2">{label}</span>
      <span>{value}</span>
    </span>
  );
}

interface FindingsProps {
  report: Report;
  stack: Stack;
  take: Take;
  onGo: (one: Finding) => void;
}

function Findings({ report, stack, take, onGo }: FindingsProps) {
  if (!report.findings?.length) return null;
  return (
    <ul aria-label="Findings" className="space-y-1 border-rule border-b px-4 py-3">
      {report.findings.map((one) => {
        const more = take.repairable ? lacking(one, report) : undefined;
        return (
          <li key={one.do} className="border-fault border-l-4 bg-fault-wash">
            <button
              type="button"
              onClick={() => onGo(one)}
              className="w-full px-3.5 py-2 text-left text-[0.9375rem] hover:bg-card"
            >
              <strong>
                {FINDINGS[one.kind]}
                {isPlace(one, report) && `, ${trimmed(digits(one.size))} ${one.unit} across`}:
              </strong>{" "}
              {one.do}.
            </button>
            {more && (
              <Link
                to="/stacks/$stackId/$stage"
                params={{ stackId: String(stack.id), stage: "shoot" }}
                search={{ take: take.id, more: more === "between" ? undefined : more }}
                className="inline-flex min-h-9 items-center px-3.5 text-[0.9375rem] underline underline-offset-3"
              >
                {more === "between" ? "Shoot the missing rungs" : `Shoot further rungs at the ${more} end`}
              </Link>
            )}
          </li>
        );
      })}
    </ul>
  );
}

function Remarks({ take, report }: { take: Take; report: Report }) {
  const files = report.excluded.map((one) => `${one.file} ${one.reason}`).join("; ");
  return (
    <div className="space-y-2 px-4 py-3 empty:hidden">
      {otherWarnings(report).map((warning) => (
        <Notice key={warning} kind="hint">
          {warning}
        </Notice>
      ))}
      <SeriesWarnings take={take} />
      {!report.findings &&
        report.coverage.gaps.map((gap) => (
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
        <Notice kind="hint" title={`${report.excluded.length} left out.`}>
          {files}
        </Notice>
      )}
    </div>
  );
}

function pictures(take: Take, finished: Finished[]): Array<{ value: string; label: string; shown: Shown }> {
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
