import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Frame, type Stack, type Take } from "../../client/api";
import { refresh } from "../../client/live";
import { Ladder } from "../../ladder/Ladder";
import { drawing } from "../../ladder/layout";
import { plural } from "../../lib/numbers";
import { SeriesWarnings } from "../../specimen/SeriesWarnings";
import { useStack, useTake } from "../../specimen/stack";
import { Button } from "../../ui/Button";
import { useCommands } from "../../ui/commands";
import { TextField } from "../../ui/Field";
import { Failures, Placeholder } from "../../ui/Notice";
import { Develop } from "./Develop";
import { Rungs } from "./Rungs";

const REASONS = ["shaken", "dark", "shot twice", "something moved", "nothing is sharp in it", "grey card"];

/** One take's frames along its ladder: what is merged, what is left out and why, what is missing; and its development. */
export function SortStage() {
  const stack = useStack();
  const { take } = useTake();
  const [picked, setPicked] = useState<number | null>(null);
  const drawn = drawing(stack.plan, stack.ladder, take);
  const frames = take ? inOrder(take) : [];
  const used = (one: Frame) => !take?.series.left_out.some((out) => out.frame_id === one.id);
  const frame = frames.find((one) => one.id === picked) ?? frames.find(used) ?? frames[0];
  const chosen = drawn.rungs.find((rung) => rung.frame?.id === frame?.id)?.index ?? null;
  return (
    <div className="grid h-full grid-cols-[clamp(190px,18vw,240px)_minmax(0,1fr)_clamp(340px,36vw,560px)] grid-rows-[minmax(0,1fr)] small:flex small:h-auto small:flex-col">
      <Ladder
        drawing={drawn}
        caption={drawn.unplaced > 0 ? "planned" : "shot"}
        chosen={chosen}
        onChoose={(rung) => rung.frame && setPicked(rung.frame.id)}
      />
      {take?.complete && frame ? (
        <OneTake stack={stack} take={take} frames={frames} frame={frame} onPick={setPicked} />
      ) : (
        <Placeholder>
          There is nothing to sort yet.{" "}
          <Link
            to="/stacks/$stackId/$stage"
            params={{ stackId: String(stack.id), stage: "shoot" }}
            search
            className="underline"
          >
            Shoot the ladder
          </Link>
          , or bring files in as a{" "}
          <Link to="/card" className="underline">
            card
          </Link>
          .
        </Placeholder>
      )}
    </div>
  );
}

interface Props {
  stack: Stack;
  take: Take;
  frames: Frame[];
  frame: Frame;
  onPick: (id: number) => void;
}

function OneTake({ stack, take, frames, frame, onPick }: Props) {
  const queries = useQueryClient();
  const [reason, setReason] = useState("");
  const out = new Map(take.series.left_out.map((one) => [one.frame_id, one.reason]));
  const change = useMutation({
    mutationFn: (one: Frame) =>
      out.has(one.id) ? api.takeBack(one.id) : api.leaveOut(one.id, reason.trim() || "left out by hand"),
    onSuccess: () => refresh(queries),
    // Keys pressed quickly are all obeyed, one after the other.
    scope: { id: `take-${take.id}` },
  });
  const repair = useMutation({
    mutationFn: (after: string) => api.planRepair(take.id, after),
    onSuccess: () => refresh(queries),
  });
  const at = frames.indexOf(frame);
  const go = (to: Frame | undefined) => to && onPick(to.id);
  const doubtful = frames.filter((one) => out.has(one.id) || one.faults.length > 0);
  const leaveOut = () => change.mutate(frame);
  useCommands({
    nextFile: () => go(frames[at + 1]),
    fileBefore: () => go(frames[at - 1]),
    nextDoubt: () => go(doubtful.find((one) => frames.indexOf(one) > at) ?? doubtful[0]),
    leaveOut,
  });
  return (
    <>
      <section aria-label="Frames" className="flex min-h-0 min-w-0 flex-col">
        <div className="space-y-2 border-rule border-b px-4 py-3">
          <h1 className="text-[1.125rem]">
            {plural(take.series.used, "frame")} of {take.frames.length} are merged
          </h1>
          <p className="text-ink2">{take.series.order_said}</p>
          <SeriesWarnings take={take} />
          {take.series.holes.map((hole) => (
            <div key={hole.after} className="flex flex-wrap items-center gap-3 border-fault border-l-4 pl-3">
              <span className="min-w-0 flex-1">
                <strong className="text-fault">
                  {plural(hole.missing, "frame is", "frames are")} missing
                </strong>{" "}
                between {hole.after} and {hole.before}: about {hole.um.toFixed(1)} µm, if it was shot at the
                planned step.
              </span>
              <Button disabled={repair.isPending} onClick={() => repair.mutate(hole.after)}>
                Plan a ladder for them
              </Button>
            </div>
          ))}
          {repair.data && (
            <p role="status">
              <Link
                to="/stacks/$stackId/$stage"
                params={{ stackId: String(repair.data.id), stage: "plan" }}
                search={{}}
                className="underline underline-offset-3"
              >
                Stack {repair.data.number}
              </Link>{" "}
              is planned for them, {plural(repair.data.ladder.frames, "rung")}. Where it begins is reckoned
              from the plan, not measured: look before you shoot.
            </p>
          )}
          <Failures of={[change.error, repair.error]} />
        </div>
        <Rungs take={take} frames={frames} frame={frame} left={out} onPick={onPick} />
        <div className="flex flex-wrap items-end gap-3 border-ink border-t bg-card px-4 py-2">
          <div className="min-w-40 flex-1">
            <TextField
              label="Reason to leave out"
              value={reason}
              suggestions={REASONS}
              onChange={setReason}
            />
          </div>
          <Button command="leaveOut" disabled={change.isPending} onClick={leaveOut}>
            {out.has(frame.id) ? "Take it back" : "Leave it out"}
          </Button>
        </div>
      </section>
      <Develop key={take.id} stack={stack} take={take} frame={frame} />
    </>
  );
}

/** Nearest first where positions are known, else as they are kept. */
function inOrder(take: Take): Frame[] {
  const at = (frame: Frame) => frame.reported_um ?? frame.planned_um;
  if (take.frames.some((frame) => at(frame) === null)) return take.frames;
  return [...take.frames].sort((one, other) => (at(one) ?? 0) - (at(other) ?? 0) || one.place - other.place);
}
