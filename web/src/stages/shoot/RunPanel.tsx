import { Link, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Bench, type BenchRun, type Stack, type Take } from "../../client/api";
import { duration, plural } from "../../lib/numbers";
import { SeriesWarnings } from "../../specimen/SeriesWarnings";
import { TakeFrames } from "../../specimen/TakeFrames";
import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/Field";
import { Notice } from "../../ui/Notice";
import { Work } from "../../ui/Work";
import { Said } from "./Said";
import { Turning } from "./Turning";

interface Props {
  stack: Stack;
  take: Take | undefined;
  bench: Bench;
  run: BenchRun | null;
  /** Why the picture grows no more, if it does not. */
  trouble: string | null;
  chosen: number | null;
  locked: boolean;
  act: (order: () => Promise<unknown>) => void;
  onShoot: (entry: RunWish) => void;
  onByHand: () => void;
}

/** Rungs to add where an end was not reached: as many as a plan has to spare. */
const USUAL_MORE = 2;

/** What is wanted of a run: a new take, or a repair of one. */
export interface RunWish {
  repair_of?: number;
  again?: number[];
  /** A simulated hand turns the knob. */
  simulated?: boolean;
  /** The camera keeps its frames: a key says that a rung was shot. */
  by_key?: boolean;
  more_near?: number;
  more_far?: number;
}

const PHASES: Record<string, string> = {
  approach: "Approaching from near",
  move: "Moving",
  settle: "Settling",
  recycle: "Flash recharging",
  expose: "Exposing",
  paused: "Paused",
  prepare: "Setting up",
  gather: "Gathering",
};

/** Running, pausing, stopping; and afterwards repairing. */
export function RunPanel(props: Props) {
  const { stack, take, bench, run, locked, act, onShoot, onByHand } = props;
  if (run && run.stack_id === stack.id && ["knob", "body", "key"].includes(run.mode))
    return <Turning run={run} bench={bench} trouble={props.trouble} act={act} />;
  if (run && run.stack_id === stack.id) return <Running run={run} trouble={props.trouble} act={act} />;
  const driven = !stack.plan.knob && !stack.plan.focus_unit;
  const task = take?.task;
  const cutOff = task?.kind === "run" && task.state === "failed" && take && !take.complete;
  return (
    <section aria-label="Run" className="space-y-2">
      {cutOff && task && take && (
        <Notice kind="fault" title={`Take ${take.number} was cut off after ${task.done} of ${task.total}.`}>
          {task.message}
          <Button
            look="next"
            className="mt-2 w-full"
            disabled={locked}
            onClick={() => act(() => api.resumeRun(take.id))}
          >
            {driven ? "Go on at the next rung" : "Go on with what is open"}
          </Button>
        </Notice>
      )}
      {take && waitsForFiles(take) && task && (
        <Notice kind="hint" title={`Take ${take.number} waits for its files.`}>
          {task.message}
          <Button look="next" className="mt-2 w-full" onClick={onByHand}>
            Bring the files
          </Button>
        </Notice>
      )}
      {take?.complete && <AfterRun {...props} take={take} />}
      {bench.said && !cutOff && <p className="text-[0.9375rem] text-ink2">{bench.said}</p>}
      {!cutOff && (
        <Button
          look={take?.complete || (take && waitsForFiles(take)) ? "plain" : "next"}
          command="shoot"
          className="w-full"
          disabled={locked}
          onClick={() => onShoot({})}
        >
          {stack.plan.focus_unit
            ? "Begin the body's series"
            : take
              ? "Shoot another take"
              : "Shoot this ladder"}
        </Button>
      )}
      {!cutOff && stack.plan.knob && bench.settings.camera === "simulated" && (
        <Button className="w-full" disabled={locked} onClick={() => onShoot({ simulated: true })}>
          Let a simulated hand turn the knob
        </Button>
      )}
      {!cutOff && stack.plan.knob && (
        <Button className="w-full" disabled={locked} onClick={() => onShoot({ by_key: true })}>
          Call the rungs, frames come later
        </Button>
      )}
      <div className="flex justify-between text-[0.9375rem]">
        <span className="text-ink2">
          {plural(stack.ladder.frames, "rung")}, about {duration(stack.ladder.seconds)}
        </span>
        <button type="button" className="min-h-11 underline underline-offset-3" onClick={onByHand}>
          By hand, own frames
        </button>
      </div>
    </section>
  );
}

/** Its rungs were shot by key, and its frames are still on the camera. */
const waitsForFiles = (take: Take) =>
  take.source === "bench" && !take.complete && take.frames.length === 0 && take.task?.state === "done";

function Running({ run, trouble, act }: { run: BenchRun; trouble: string | null; act: Props["act"] }) {
  const burst = run.mode === "burst";
  return (
    <section aria-label="Run" className="space-y-2">
      <Work
        title={PHASES[run.phase] ?? run.phase}
        done={run.done}
        total={run.total}
        secondsLeft={burst ? null : run.seconds_left}
      />
      {burst && (
        <p className="head text-[1.25rem] tabular-nums">
          {plural(run.done, "frame")}, {Math.floor(100 * (run.coverage ?? 0))} % covered
          {run.seconds_left !== null && <span className="block">{duration(run.seconds_left)} left</span>}
        </p>
      )}
      <Said lines={[run.said, trouble]} />
      <Button
        look="next"
        command="stopAfter"
        className="w-full"
        onClick={() => act(() => api.orderRun("stop-after-rung"))}
      >
        {burst ? "That is enough" : "Stop after this rung"}
      </Button>
      {!burst && (
        <div className="grid grid-cols-2 gap-2">
          <Button command="pause" onClick={() => act(() => api.orderRun(run.paused ? "go-on" : "pause"))}>
            {run.paused ? "Go on" : "Pause"}
          </Button>
          <Button command="stop" onClick={() => act(api.halt)}>
            Stop now
          </Button>
        </div>
      )}
    </section>
  );
}

function AfterRun({ stack, take, chosen, locked, onShoot }: Props & { take: Take }) {
  const { more: wanted } = useSearch({ strict: false });
  const [near, setNear] = useState<number | null>(wanted === "near" ? USUAL_MORE : null);
  const [far, setFar] = useState<number | null>(wanted === "far" ? USUAL_MORE : null);
  const [open, setOpen] = useState(wanted !== undefined);
  const kept = take.frames.filter((frame) => !frame.left_out);
  const have = new Set(kept.map((frame) => frame.rung));
  const missing = take.series.missing.length;
  const faulty = kept.filter((frame) => frame.faults.length > 0);
  // What is missing can only be shot while the specimen lies there: that comes first.
  const repair = take.repairable && missing + faulty.length > 0;
  const again = chosen !== null && have.has(chosen) ? [chosen] : [];
  const more = (near ?? 0) + (far ?? 0);
  return (
    <div className="space-y-2">
      <p>
        Take {take.number}: {plural(kept.length, "frame")}
        {take.task?.state === "stopped" && ", stopped early"}
        {missing > 0 && `, ${plural(missing, "rung")} missing`}
        {faulty.length > 0 && `, ${faulty.length} with faults`}.
      </p>
      {(take.source !== "bench" || take.series.left_out.length > 0) && <TakeFrames take={take} />}
      <SeriesWarnings take={take} />
      {repair && (
        <Button
          look="next"
          className="w-full"
          disabled={locked}
          onClick={() => onShoot({ repair_of: take.id })}
        >
          Shoot the {missing + faulty.length} missing or bad
        </Button>
      )}
      <Link
        to="/stacks/$stackId/$stage"
        params={{ stackId: String(stack.id), stage: "merge" }}
        search
        className={`head flex min-h-11 items-center justify-center rounded-s border px-4 ${repair ? "border-ink bg-card" : "border-amber bg-amber-fill text-on-amber"}`}
      >
        Merge this take
      </Link>
      {take.repairable && (
        <details open={open} onToggle={(event) => setOpen(event.currentTarget.open)}>
          <summary className="min-h-9 cursor-pointer text-[0.9375rem] underline underline-offset-3">
            Extend or shoot again
          </summary>
          <NumberField label="Rungs added nearer" value={near} optional onChange={setNear} />
          <NumberField label="Rungs added farther" value={far} optional onChange={setFar} />
          <Button
            className="mt-2 w-full"
            disabled={locked || more <= 0}
            onClick={() => onShoot({ repair_of: take.id, more_near: near ?? 0, more_far: far ?? 0 })}
          >
            {more > 0 ? `Shoot ${plural(more, "rung")} more` : "Say how many"}
          </Button>
          <Button
            className="mt-2 w-full"
            disabled={locked || again.length === 0}
            onClick={() => onShoot({ repair_of: take.id, again })}
          >
            {again.length > 0 ? `Shoot rung ${(again[0] ?? 0) + 1} again` : "Choose a rung to shoot it again"}
          </Button>
          <p className="text-[0.9375rem] text-ink2">
            A new take begins with the good frames of this one; this one stays.
          </p>
        </details>
      )}
    </div>
  );
}
