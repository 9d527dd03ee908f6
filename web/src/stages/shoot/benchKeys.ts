import { api, type Bench, type BenchRun, type Stack } from "../../client/api";
import type { KeyMap } from "./useKeys";
import type { Marks } from "./views";

interface Props {
  stack: Stack;
  bench: Bench | undefined;
  /** Where the rail is, µm. */
  at: number | null;
  locked: boolean;
  run: BenchRun | null;
  act: (order: () => Promise<unknown>) => void;
  shoot: () => void;
  loupe: { x: number; y: number } | null;
  setLoupe: (place: { x: number; y: number } | null) => void;
  marks: Marks;
  setMarks: (marks: Marks) => void;
}

const FAR_MARK = "M"; // with Shift

/** The keys of Shoot; the sheet of keys lists them. */
export function benchKeys(props: Props): KeyMap {
  const { stack, bench, at, locked, run, act, shoot, loupe, setLoupe, marks, setMarks } = props;
  const step = stack.ladder.step_um;
  const unless = (work: () => void) => () => {
    if (!locked) work();
  };
  const jog = (by_um: number) => unless(() => act(() => api.move({ by_um })));
  const hold = (to: number | null | undefined) => ({
    press: unless(() => typeof to === "number" && act(() => api.move({ to_um: to }))),
    release: () => act(api.halt),
  });
  const mark = (ends: (here: number) => [number, number]) =>
    unless(() => {
      if (at === null || stack.takes.length > 0) return;
      act(() => api.setEnds(stack.id, ...ends(at)).then(() => api.setUpBench(stack.id)));
    });
  return {
    "[": jog(-step),
    "]": jog(step),
    ",": jog(-10),
    ".": jog(10),
    "<": jog(-100),
    ">": jog(100),
    ";": jog(-1),
    "'": jog(1),
    n: hold(bench?.rail.lowest_um),
    f: hold(bench?.rail.highest_um),
    b: unless(() => act(() => api.move({ place: "park" }))),
    m: mark((here) => [here, Math.max(stack.ladder.far_um, here + step)]),
    [FAR_MARK]: mark((here) => [Math.min(stack.plan.near_um, here - step), here]),
    e: unless(() => act(api.findEnds)),
    t: unless(() => act(api.testFrame)),
    o: unless(() => act(api.roomFrame)),
    s: unless(shoot),
    p: () => {
      if (run) act(() => api.orderRun(run.paused ? "go-on" : "pause"));
    },
    x: () => {
      if (run) act(() => api.orderRun("stop-after-rung"));
    },
    " ": () => act(api.halt),
    l: () => setLoupe(loupe ? null : { x: 0.5, y: 0.5 }),
    g: () => setMarks({ ...marks, grid: !marks.grid }),
    k: () => setMarks({ ...marks, edges: !marks.edges }),
    w: () => setMarks({ ...marks, border: !marks.border }),
  };
}
