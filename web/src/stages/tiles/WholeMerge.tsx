import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Merge, type Stack, type Tiles } from "../../client/api";
import { refresh } from "../../client/live";
import { digits, duration, percent, plural, trimmed } from "../../lib/numbers";
import { DepthLegend } from "../../pictures/DepthLegend";
import { Outline } from "../../pictures/Outline";
import { type Box, Viewer } from "../../pictures/Viewer";
import { FINDINGS, type Finding, reportOf } from "../../specimen/report";
import { finishedMerges, shownMerge, useStack } from "../../specimen/stack";
import { TileMap } from "../../specimen/TileMap";
import { Button } from "../../ui/Button";
import { Discard } from "../../ui/Discard";
import { Check } from "../../ui/Field";
import { Notice } from "../../ui/Notice";
import { Work } from "../../ui/Work";

const PHASES: Record<string, string> = {
  register: "Laying neighbours on each other",
  save: "Writing the whole",
};

/** Laying the tiles' merges together, and what came of it: the picture, its depth, and every seam. */
export default function WholeMerge() {
  const stack = useStack();
  const shown = shownMerge(finishedMerges(stack), null);
  const { tiles } = stack;
  if (!tiles) return null;
  if (!shown)
    return (
      <div className="h-full overflow-y-auto p-6">
        <div className="max-w-xl space-y-4">
          <h2 className="text-[1.25rem]">Lay the tiles together</h2>
          <p className="text-ink2">
            Of each tile the merge that counts is taken. Neighbours are laid on each other by what both show;
            brightness and the zero of depth are evened over all seams, and every seam is told.
          </p>
          <TileMap tiles={tiles} stage="merge" width={360} />
          <Laying stack={stack} tiles={tiles} />
        </div>
      </div>
    );
  return <Laid key={shown.merge.id} stack={stack} tiles={tiles} merge={shown.merge} />;
}

function Laying({ stack, tiles }: { stack: Stack; tiles: Tiles }) {
  const queries = useQueryClient();
  const [mended, setMended] = useState(true);
  const merges = stack.takes.flatMap((take) => take.merges);
  const running = merges.filter(({ task }) => task.state === "running" || task.state === "waiting");
  const last = running.length === 0 ? merges.at(-1) : undefined;
  const lay = useMutation({
    mutationFn: () => api.layTiles(stack.id, mended),
    onSettled: () => queries.invalidateQueries({ queryKey: ["stack", stack.id] }),
  });
  const stop = useMutation({
    mutationFn: (id: number) => api.stop(id),
    onSuccess: () => refresh(queries),
  });
  const missing = tiles.tiles.filter((one) => one.merge_id === null);
  return (
    <section aria-label="Lay" className="space-y-2">
      {running.map((one) => (
        <Work
          key={one.id}
          title={
            one.task.state === "waiting" ? "Waiting for its turn" : (PHASES[one.task.phase] ?? "Starting")
          }
          done={one.task.done}
          total={one.task.total}
          secondsLeft={one.task.seconds_left}
          onStop={() => stop.mutate(one.task.id)}
        />
      ))}
      {last?.task.state === "failed" && (
        <Notice kind="fault" title="Laying them failed.">
          {last.task.message}
        </Notice>
      )}
      {last?.task.state === "stopped" && (
        <Notice kind="hint" title="Laying them was stopped.">
          Nothing was written.
        </Notice>
      )}
      {missing.length > 0 && (
        <Notice kind="hint" title={`${plural(missing.length, "tile")} not merged yet.`}>
          Merge{" "}
          {missing.slice(0, 12).map((one) => (
            <Link
              key={one.number}
              to="/stacks/$stackId/$stage"
              params={{ stackId: String(one.stack_id), stage: one.state === "planned" ? "shoot" : "merge" }}
              search={{}}
              className="mr-2 underline"
            >
              tile {one.number}
            </Link>
          ))}
          first. One that shall have no picture is thrown away, and left out.
        </Notice>
      )}
      {tiles.tiles.some((one) => one.mended) && (
        <Check label="With the pictures that were mended" checked={mended} onChange={setMended} />
      )}
      <Button
        look={merges.some((one) => one.report) ? "plain" : "next"}
        disabled={missing.length > 0 || running.length > 0 || lay.isPending}
        onClick={() => lay.mutate()}
      >
        {merges.some((one) => one.report)
          ? "Lay them anew"
          : `Lay ${plural(tiles.tiles.length, "tile")} together`}
      </Button>
      {lay.isError && <Notice kind="fault">{lay.error.message}</Notice>}
    </section>
  );
}

interface Seam {
  first: string;
  second: string;
  rms_px: number | null;
  points: number;
}
interface LaidReport {
  seams: Seam[];
  registration: Array<{ file: string; tied: boolean; u_px: number | null; depth_left: number | null }>;
}

function Laid({ stack, tiles, merge }: { stack: Stack; tiles: Tiles; merge: Merge }) {
  const [goTo, setGoTo] = useState<Box | null>(null);
  const [at, setAt] = useState<{ x: number; y: number } | null>(null);
  const legend = useQuery({
    queryKey: ["depth", merge.id],
    queryFn: () => api.depthOf(merge.id),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const report = reportOf(merge);
  const { seams, registration } = merge.report as unknown as LaidReport;
  const left = registration.flatMap((one) => (one.depth_left === null ? [] : [one.depth_left]));
  const { crop } = report;
  return (
    <div className="flex h-full min-h-0 flex-col">
      <Viewer
        left={{ kind: "composite", id: merge.id, label: `Laid together, run ${merge.number}` }}
        right={{ kind: "depth", id: merge.id, label: "Depth" }}
        onPoint={setAt}
        goTo={goTo}
        corner={legend.data && <DepthLegend legend={legend.data} mergeId={merge.id} at={at} />}
        overlay={
          <>
            <Outline box={crop} dashed />
            {report.findings?.map((one) => (
              <Outline key={`${one.files.join()}`} box={one} />
            ))}
          </>
        }
      />
      <div className="grid h-[38%] min-h-48 shrink-0 grid-cols-[minmax(0,1fr)_minmax(280px,36%)] border-ink border-t bg-sheet small:block small:h-auto">
        <section aria-label="Seams" className="overflow-y-auto px-4 py-3">
          <div className="flex items-baseline justify-between gap-4">
            <h2 className="text-[1.125rem]">
              {plural(seams.length, "seam")}, {crop.width} × {crop.height} px
            </h2>
            <Link
              to="/stacks/$stackId/$stage"
              params={{ stackId: String(stack.id), stage: "record" }}
              search={{}}
              className="head inline-flex min-h-11 shrink-0 items-center rounded-s border border-amber bg-amber-fill px-4 text-on-amber"
            >
              Record and export
            </Link>
          </div>
          <p className="text-[0.9375rem] text-ink2">
            Depth known in {percent(report.coverage.depth_known)} of it
            {left.length > 0 &&
              `; tiles differ in depth by up to ${trimmed(digits(Math.max(...left), 2))} µm where they meet`}
            ; took {duration(report.seconds)}.
          </p>
          {(report.findings ?? []).map((one) => (
            <SeamFinding key={one.files.join()} one={one} onGo={() => setGoTo({ ...one })} />
          ))}
          {(report.warnings ?? []).map((warning) => (
            <Notice key={warning} kind="hint">
              {warning}.
            </Notice>
          ))}
          <table className="mt-2 w-full max-w-xl text-[0.9375rem]">
            <caption className="sr-only">What is left over at each seam</caption>
            <thead>
              <tr className="border-ink border-b text-left text-[0.875rem] text-ink2">
                <th>Seam of</th>
                <th className="text-right">Left over, px</th>
                <th className="text-right">Places that tell</th>
              </tr>
            </thead>
            <tbody>
              {seams.map((one) => (
                <tr key={`${one.first} ${one.second}`} className="border-rule border-b tabular-nums">
                  <th scope="row" className="py-1 text-left font-[450]">
                    {one.first} and {one.second.replace("tile ", "")}
                  </th>
                  <td className="text-right">
                    {one.rms_px === null ? "nothing ties them" : one.rms_px.toFixed(2)}
                  </td>
                  <td className="text-right">{one.points}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
        <div className="space-y-3 overflow-y-auto border-rule border-l p-4">
          <TileMap tiles={tiles} stage="merge" width={240} />
          <Laying stack={stack} tiles={tiles} />
          <Discard
            kind="merge"
            label="Discard this whole"
            id={merge.id}
            what={`the tiles laid together, run ${merge.number}`}
          />
        </div>
      </div>
    </div>
  );
}

function SeamFinding({ one, onGo }: { one: Finding; onGo: () => void }) {
  return (
    <button
      type="button"
      onClick={onGo}
      className="mt-1 block w-full border-fault border-l-4 bg-fault-wash px-3.5 py-2 text-left text-[0.9375rem] hover:bg-card"
    >
      <strong>
        {FINDINGS[one.kind]}, {one.files.join(" and ")}
        {one.size > 0 && `, ${trimmed(digits(one.size, 2))} px off`}:
      </strong>{" "}
      {one.do}
    </button>
  );
}
