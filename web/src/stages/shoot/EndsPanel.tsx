import { api, type Bench, type Stack } from "../../client/api";
import { duration, um } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Notice } from "../../ui/Notice";
import type { Moment } from "./live";

interface Props {
  stack: Stack;
  bench: Bench;
  moment: Moment | null;
  locked: boolean;
  act: (order: () => Promise<unknown>) => void;
}

const SEARCHING = {
  look: "Looking for the specimen",
  clear: "Going nearer, until nothing is sharp",
  measure: "Measuring on the way farther",
} as const;
const mm = (position: number) => `${(position / 1000).toFixed(3)} mm`;

/** The nearest and the farthest wanted point: marked by hand, or found by a sweep. */
export function EndsPanel({ stack, bench, moment, locked, act }: Props) {
  const { plan, ladder } = stack;
  const at = moment?.position_um ?? null;
  const shot = stack.takes.length > 0;
  const found = bench.ends;
  const search = moment?.search ?? bench.search;
  const finding = bench.busy === "finding the ends";
  const mark = (near: number, far: number) =>
    act(() => api.setEnds(stack.id, near, far).then(() => api.setUpBench(stack.id)));
  const rows = [
    {
      label: "Nearest point",
      value: plan.near_um,
      set: () => at !== null && mark(at, Math.max(ladder.far_um, at + ladder.step_um)),
    },
    {
      label: "Farthest point",
      value: ladder.far_um,
      set: () => at !== null && mark(Math.min(plan.near_um, at - ladder.step_um), at),
    },
  ];
  return (
    <section aria-label="Ends">
      {rows.map(({ label, value, set }) => (
        <div key={label} className="flex min-h-11 items-center justify-between gap-2 border-rule border-b">
          <span className="text-mark">{label}</span>
          <span className="flex items-center gap-2 whitespace-nowrap tabular-nums">
            {mm(value)}
            {!shot && (
              <button
                type="button"
                className="min-h-11 px-1 text-[0.9375rem] underline underline-offset-3 disabled:opacity-50"
                disabled={locked || at === null}
                aria-label={`${label}: mark here`}
                onClick={set}
              >
                mark here
              </button>
            )}
          </span>
        </div>
      ))}
      {finding ? (
        <div className="mt-2 space-y-1">
          <p role="status" className="text-[0.9375rem]">
            {search ? SEARCHING[search.phase] : "Going to the plan"}
            {at !== null && `, at ${mm(at)}`}
            {search?.seconds_left != null && `, about ${duration(search.seconds_left)} left`}
          </p>
          <Button command="stop" className="w-full" onClick={() => act(api.halt)}>
            Stop looking
          </Button>
        </div>
      ) : (
        <Button
          command="findEnds"
          className="mt-2 w-full"
          disabled={locked || !bench.live}
          onClick={() => act(api.findEnds)}
        >
          {found ? "Find the ends again" : "Find the ends"}
        </Button>
      )}
      {found && !finding && (
        <div className="mt-2 space-y-2">
          <Notice kind="hint" title={`Sharp from ${mm(found.near_um)} to ${mm(found.far_um)}.`}>
            {um(found.far_um - found.near_um)} deep.{" "}
            {found.passed_near && found.passed_far
              ? "Beyond either end nothing is sharp."
              : `The ${found.passed_near ? "far" : "near"} end was not passed: the rail's limit came first.`}
          </Notice>
          {shot ? (
            <p className="text-[0.9375rem] text-ink2">
              This ladder has been shot and keeps its plan: extend it below, or plan another.
            </p>
          ) : (
            (plan.near_um !== found.near_um || ladder.far_um !== found.far_um) && (
              <Button className="w-full" disabled={locked} onClick={() => mark(found.near_um, found.far_um)}>
                Use these ends
              </Button>
            )
          )}
        </div>
      )}
    </section>
  );
}
