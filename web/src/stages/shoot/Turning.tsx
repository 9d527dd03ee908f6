import { useState } from "react";
import { api, type Bench, type BenchRun, type Doubt } from "../../client/api";
import { digits, plural, trimmed } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/Field";
import { Notice } from "../../ui/Notice";
import { Work } from "../../ui/Work";
import { Said } from "./Said";

interface Props {
  run: BenchRun;
  bench: Bench;
  /** Why the picture grows no more, if it does not. */
  trouble: string | null;
  act: (order: () => Promise<unknown>) => void;
}

const PHASES: Record<string, string> = {
  prepare: "Setting up",
  turn: "Turning from rung to rung",
  series: "The body shoots",
  quiet: "Nothing comes any more",
  doubts: "All rungs have a frame",
};

/** One rung after another is called, in type that is read at arm's length; what went wrong is said and put right. */
export function Turning({ run, bench, trouble, act }: Props) {
  const keyed = run.mode === "key";
  const byItself = keyed || bench.settings.camera === "simulated";
  const { call } = run;
  return (
    <section aria-label="Run" className="space-y-2">
      {call && (
        <div aria-live="assertive" className="border-amber border-y-4 py-2 text-center">
          {call.back_division !== null && call.back_turns !== null && (
            <p className="text-[1.125rem]">
              First back to {reading(call.back_division)}
              {turnsWord(call.back_turns)}, then forward
            </p>
          )}
          <p className="text-ink2">
            Turn to{call.again && ", again"} (rung {call.rung + 1} of {run.total})
          </p>
          <p className="head text-[4.5rem] leading-none tabular-nums">{reading(call.division)}</p>
          {call.turns !== 0 && <p className="text-[1.125rem]">{turnsWord(call.turns).replace(", ", "")}</p>}
        </div>
      )}
      <Work
        title={PHASES[run.phase] ?? run.phase}
        done={run.done}
        total={run.total}
        secondsLeft={run.mode === "body" ? run.seconds_left : null}
      />
      {run.phase === "quiet" && (
        <Notice kind="fault" title={`The body stopped after ${plural(run.done, "frame")} of ${run.total}.`}>
          If it goes on, wait. If that was all, say so: what is missing can be shot as a series of its own.
        </Notice>
      )}
      <Said lines={[run.said, trouble]} />
      {run.doubts?.map((one) => (
        <Doubted key={`${one.kind} ${one.rung}`} doubt={one} act={act} />
      ))}
      {call && byItself && (
        <Button look="next" command="fire" className="w-full" onClick={() => act(api.fire)}>
          {keyed ? "It is shot: next" : "It is there: shoot"}
        </Button>
      )}
      {keyed && (
        <>
          <p className="text-[0.9375rem] text-ink2">
            The camera keeps its frames: turn, shoot, press. What is written down is which rung each file
            belongs to; the files are brought afterwards, all of them and no others.
          </p>
          <Button className="w-full" onClick={() => act(() => api.turn({ order: "none", count: 1 }))}>
            The last press was none
          </Button>
        </>
      )}
      {run.mode !== "body" && <Corrections run={run} act={act} />}
      <Button
        look={call ? "plain" : "next"}
        command="stopAfter"
        className="w-full"
        onClick={() => act(() => api.orderRun("stop-after-rung"))}
      >
        That is all
      </Button>
    </section>
  );
}

/** What the pictures tell against a rung: put right with one press, or said to be right. */
function Doubted({ doubt, act }: { doubt: Doubt; act: Props["act"] }) {
  const { kind, rung, count } = doubt;
  const passed = kind === "passed";
  return (
    <Notice
      kind="fault"
      title={
        passed
          ? `Before rung ${rung + 1} about ${plural(count, "rung")} lies passed over.`
          : `Rung ${rung + 1} shows the same as the one before.`
      }
    >
      {passed
        ? "The two pictures there lie too far apart for neighbours."
        : "The focus did not move: was the knob turned?"}
      <div className="mt-2 flex flex-wrap gap-2">
        <Button
          onClick={() =>
            act(() => api.turn(passed ? { order: "passed", rung, count } : { order: "same", rung, count: 1 }))
          }
        >
          {passed ? `Yes: move all from there on by ${count}` : "Yes: leave it out, move the rest up"}
        </Button>
        <Button look="quiet" onClick={() => act(() => api.turn({ order: "right", rung, count: 1 }))}>
          No, it is right
        </Button>
      </div>
    </Notice>
  );
}

function Corrections({ run, act }: { run: BenchRun; act: Props["act"] }) {
  const [read, setRead] = useState<number | null>(null);
  const [rung, setRung] = useState<number | null>(null);
  return (
    <>
      <Button
        command="again"
        className="w-full"
        onClick={() => act(() => api.turn({ order: "again", count: 1 }))}
      >
        Shoot the last one again
      </Button>
      <details>
        <summary className="min-h-9 cursor-pointer text-[0.9375rem] underline underline-offset-3">
          It read something else, or another rung
        </summary>
        <NumberField label="The last frame was shot at" unit="div" value={read} optional onChange={setRead} />
        <Button
          className="mt-1 w-full"
          disabled={read === null}
          onClick={() => {
            act(() => api.turn({ order: "read", reading: read, count: 1 }));
            setRead(null);
          }}
        >
          That is what the knob read
        </Button>
        <NumberField label="Call rung" value={rung} optional onChange={setRung} />
        <Button
          className="mt-1 w-full"
          disabled={rung === null || rung < 1 || rung > run.total}
          onClick={() => act(() => api.turn({ order: "call", rung: (rung ?? 1) - 1, count: 1 }))}
        >
          Call it now
        </Button>
      </details>
    </>
  );
}

const reading = (value: number) => trimmed(digits(value, 4));

const turnsWord = (turns: number) =>
  turns === 0 ? "" : turns > 0 ? `, ${plural(turns, "turn")} further` : `, ${plural(-turns, "turn")} back`;
