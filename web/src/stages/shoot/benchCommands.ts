import { api, type Bench, type BenchRun, type Stack } from "../../client/api";
import type { Handlers } from "../../ui/commands";
import { type Marks, MIDDLE, RADIUS } from "./views";

interface Props {
  stack: Stack;
  bench: Bench | undefined;
  /** Where the rail is, µm. */
  at: number | null;
  locked: boolean;
  run: BenchRun | null;
  act: (order: () => Promise<unknown>) => void;
  hold: { press: (to_um: number) => void; release: () => void };
  shoot: () => void;
  loupe: { x: number; y: number } | null;
  setLoupe: (place: { x: number; y: number } | null) => void;
  marks: Marks;
  setMarks: (marks: Marks) => void;
}

/** What the commands of Shoot do. */
export function benchCommands(props: Props): Handlers {
  const { stack, bench, at, locked, run, act, hold, shoot, loupe, setLoupe, marks, setMarks } = props;
  const step = stack.ladder.step_um;
  const unless = (work: () => void) => () => {
    if (!locked) work();
  };
  // Keys of the rail, of its ends and of its light do nothing where no rail moves the focus.
  const driven = !stack.plan.knob && !stack.plan.focus_unit;
  const byRail = (work: () => void) =>
    unless(() => {
      if (driven) work();
    });
  const jog = (by_um: number) => byRail(() => act(() => api.move({ by_um })));
  // What a rail cannot do, its finest move stands for.
  const [fine = step, middle = fine, coarse = middle] = bench?.rail.jogs_um ?? [];
  const runTo = (to: number | null | undefined) => ({
    press: byRail(() => typeof to === "number" && hold.press(to)),
    release: hold.release,
  });
  const mark = (ends: (here: number) => [number, number]) =>
    byRail(() => {
      if (at === null || stack.takes.length > 0) return;
      act(() => api.setEnds(stack.id, ...ends(at)).then(() => api.setUpBench(stack.id)));
    });
  return {
    stepNearer: jog(-step),
    stepFarther: jog(step),
    nearer1: jog(-fine),
    farther1: jog(fine),
    nearer10: jog(-middle),
    farther10: jog(middle),
    nearer100: jog(-coarse),
    farther100: jog(coarse),
    runNearer: runTo(bench?.rail.lowest_um),
    runFarther: runTo(bench?.rail.highest_um),
    park: byRail(() => act(() => api.move({ place: "park" }))),
    markNear: mark((here) => [here, Math.max(stack.ladder.far_um, here + step)]),
    markFar: mark((here) => [Math.min(stack.plan.near_um, here - step), here]),
    findEnds: byRail(() => act(api.findEnds)),
    testFrame: byRail(() => act(api.testFrame)),
    roomFrame: byRail(() => act(api.roomFrame)),
    followPlace: byRail(() =>
      act(() => (bench?.place ? api.unmarkPlace() : api.markPlace({ ...(loupe ?? MIDDLE), radius: RADIUS }))),
    ),
    shoot: unless(shoot),
    fire: () => {
      if (run?.call && (run.mode === "key" || bench?.settings.camera === "simulated")) act(api.fire);
    },
    again: () => {
      if (run?.mode === "knob") act(() => api.turn({ order: "again", count: 1 }));
    },
    pause: () => {
      if (run) act(() => api.orderRun(run.paused ? "go-on" : "pause"));
    },
    stopAfter: () => {
      if (run) act(() => api.orderRun("stop-after-rung"));
    },
    stop: () => act(api.halt),
    loupe: () => setLoupe(loupe ? null : MIDDLE),
    grid: () => setMarks({ ...marks, grid: !marks.grid }),
    edges: () => setMarks({ ...marks, edges: !marks.edges }),
    border: () => setMarks({ ...marks, border: !marks.border }),
  };
}
