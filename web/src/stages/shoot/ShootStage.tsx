import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useRef, useState } from "react";
import { api, type Bench } from "../../client/api";
import { Ladder } from "../../ladder/Ladder";
import { drawing } from "../../ladder/layout";
import { plural } from "../../lib/numbers";
import { useStack, useTake } from "../../specimen/stack";
import { Button } from "../../ui/Button";
import { useCommands } from "../../ui/commands";
import { Notice, Placeholder } from "../../ui/Notice";
import { BenchPanel } from "./BenchPanel";
import { ByHand } from "./ByHand";
import { benchCommands } from "./benchCommands";
import { ClaimBar } from "./ClaimBar";
import { EndsPanel } from "./EndsPanel";
import { LiveView } from "./LiveView";
import { LightPanel } from "./light/LightPanel";
import { Mirror } from "./light/Mirror";
import { type LivePictures, useCurve, useLive } from "./live";
import { SharpnessCurve } from "./Plots";
import { Preflight } from "./Preflight";
import { RailPanel } from "./RailPanel";
import { RunPanel, type RunWish } from "./RunPanel";
import { Shown } from "./Shown";
import { StagePanel } from "./StagePanel";
import { Badges, Brightness, Thumbs, Toggles } from "./Strips";
import { TurnPanel } from "./TurnPanel";
import { useBench } from "./useBench";
import { useCue } from "./useCue";
import { useHold } from "./useHold";
import { type Marks, MIDDLE, type View } from "./views";

type Sheet = "preflight" | "bench" | "hand" | null;

/** Where a technician works: seeing what is in focus, setting ends and light, running, repairing. */
export function ShootStage() {
  const stack = useStack();
  const queries = useQueryClient();
  const { bench, mine, settingUp, setUp, refused, busy, act, atOnce } = useBench(stack.id);
  const driven = !stack.plan.knob && !stack.plan.focus_unit;
  const [view, setView] = useState<View>(driven ? "live" : "growing");
  const [chosen, setChosen] = useState<number | null>(null);
  const [marks, setMarks] = useState<Marks>({ edges: true, grid: false, border: false });
  const [loupe, setLoupe] = useState<{ x: number; y: number } | null>(null);
  const [sheet, setSheet] = useState<Sheet>(null);
  const [wish, setWish] = useState<RunWish>({});
  const [sound, setSound] = useState(() => localStorage.getItem("sound") !== "off");
  const drawer = useRef<((pictures: LivePictures) => void) | null>(null);
  const { moment, rate } = useLive(loupe, (pictures) => drawer.current?.(pictures));
  const curve = useCurve(moment);
  const framing = useQuery({
    queryKey: ["framing", stack.id, stack.plan],
    queryFn: () => api.tryPlan(stack.rig, stack.plan, {}),
    enabled: marks.border,
  });
  const run = moment?.run ?? bench?.run ?? null;
  const { take: selected, choose } = useTake();
  // What is being shot here is what is looked at.
  const take = stack.takes.find((one) => one.id === run?.take_id) ?? selected;
  const { cue, dismiss } = useCue(take?.task, take?.source !== "bench", sound);
  const others = Boolean(bench?.claim && !bench.claim.mine);
  const locked = !mine || settingUp || others || Boolean(bench?.busy && bench.busy !== "moving");
  const frames = take?.frames ?? [];
  const frame = frames.find((one) => one.id === chosen) ?? frames.at(-1) ?? null;
  const step = stack.ladder.step_um;
  const shoot = (entry: RunWish) => {
    setWish(entry);
    setSheet("preflight");
  };
  const at = moment?.position_um ?? null;
  const hold = useHold(act, atOnce);
  useCommands(
    benchCommands({
      stack,
      bench,
      at,
      locked,
      run,
      act,
      hold,
      shoot: () => shoot({}),
      loupe,
      setLoupe,
      marks,
      setMarks,
    }),
  );
  const go = (confirmed: string[], then: boolean) => {
    setSheet(null);
    setChosen(null);
    choose();
    act(() =>
      api.beginRun(stack.id, {
        more_near: 0,
        more_far: 0,
        simulated: false,
        by_key: false,
        then_tiles: then,
        ...wish,
        confirmed,
      }),
    );
  };
  const moved = bench?.stage?.by === "rail";
  const left = (stack.tiles?.tiles ?? []).filter(
    (one) => one.state === "planned" && one.stack_id !== stack.id,
  ).length;
  const refresh = () => queries.invalidateQueries({ queryKey: ["stack", stack.id] });
  if (!bench) return <Placeholder>Looking for the bench …</Placeholder>;
  const newest = moment?.growth ?? bench.growth;
  const growth = newest && newest.take_id === take?.id ? newest : null;
  const shotHere = frames.filter((one) => !one.left_out).length || new Set(take?.pressed).size;
  const total = take?.series.rungs_um.length || stack.ladder.frames;
  const caption = take
    ? take.source === "bench"
      ? `${shotHere} of ${total} shot`
      : plural(shotHere, "frame")
    : "not shot yet";

  return (
    <div className="grid h-full grid-cols-[clamp(180px,18vw,260px)_minmax(0,1fr)_clamp(296px,24vw,420px)] small:flex small:h-auto small:flex-col">
      <Ladder
        drawing={drawing(stack.plan, stack.ladder, take)}
        caption={caption}
        chosen={
          run?.stack_id === stack.id && run.rung !== null
            ? run.rung
            : view === "frame"
              ? (frame?.rung ?? null)
              : null
        }
        onChoose={(rung) => {
          setChosen(rung.frame?.id ?? null);
          setView("frame");
        }}
      />
      <div className="flex min-h-0 min-w-0 flex-col small:contents">
        <div
          className="relative min-h-0 flex-1 overflow-hidden bg-mat small:sticky small:top-0 small:z-10 small:order-1 small:h-[42vh] small:flex-none"
          style={
            {
              "--field": `${stack.rig.sensor.width_px} / ${stack.rig.sensor.height_px}`,
            } as React.CSSProperties
          }
        >
          {view === "live" && bench.live && mine ? (
            <LiveView
              drawer={drawer}
              edges={marks.edges}
              grid={marks.grid}
              inner={marks.border ? (framing.data?.framing.inner_share ?? null) : null}
              loupe={loupe}
              onLoupe={setLoupe}
              lit={moment?.place ?? null}
            />
          ) : (
            <Shown
              view={view}
              take={take}
              frame={frame}
              growth={growth}
              test={mine ? bench.test_frame : null}
              compared={mine ? bench.diffuser : null}
              settingUp={settingUp}
              mine={mine}
            />
          )}
          <Badges
            view={view}
            rate={mine ? rate : 0}
            frame={frame}
            run={mine ? run : null}
            edges={marks.edges && mine}
          />
          {cue && (
            <button
              type="button"
              onClick={dismiss}
              className={`head absolute inset-x-0 top-1/3 border-y-8 px-6 py-8 text-center text-[2.125rem] ${cue.kind === "failed" ? "border-fault bg-fault-wash text-fault" : "border-amber-fill bg-card"}`}
            >
              {cue.message}
              <span className="block text-[0.9375rem] text-ink2">Press to put away</span>
            </button>
          )}
        </div>
        <Toggles
          view={view}
          onView={setView}
          marks={marks}
          onMarks={setMarks}
          loupe={loupe !== null}
          onLoupe={(on) => setLoupe(on ? MIDDLE : null)}
        />
        <div className="grid h-[7.2rem] shrink-0 grid-cols-2 gap-6 bg-card px-4 pt-2 small:hidden">
          {driven ? (
            <SharpnessCurve
              curve={mine ? curve : []}
              now={mine ? at : null}
              near={stack.plan.near_um}
              far={stack.ladder.far_um}
            />
          ) : (
            <p className="text-[0.9375rem] text-ink2">
              No rail tells where focus is: rungs are those that were called, and what the pictures say
              against them.
            </p>
          )}
          <Brightness test={mine ? bench.test_frame : null} growth={growth} />
        </div>
        <Thumbs
          frames={frames}
          chosen={view === "frame" ? (frame?.id ?? null) : null}
          onChoose={(id) => {
            setChosen(id);
            setView("frame");
          }}
        />
      </div>
      <aside
        aria-label="Bench"
        className="flex min-h-0 flex-col border-ink border-l bg-card small:order-4 small:flex-row small:flex-wrap"
      >
        <div className="min-h-0 flex-1 space-y-3 overflow-y-auto p-4 pb-2 small:min-w-72">
          {bench.claim && <ClaimBar claim={bench.claim} act={atOnce} />}
          {refused && <Notice kind="fault">{refused.message}</Notice>}
          {mine || settingUp ? (
            <>
              {driven ? (
                <>
                  <RailPanel
                    bench={bench}
                    moment={moment}
                    step={step}
                    locked={locked}
                    act={act}
                    hold={hold}
                  />
                  <StagePanel bench={bench} tiles={stack.tiles} locked={locked} act={act} />
                  <EndsPanel stack={stack} bench={bench} moment={moment} locked={locked} act={act} />
                  <LightPanel bench={bench} moment={moment} locked={locked} working={busy} act={act} />
                  <Mirror bench={bench} lit={moment?.place ?? null} loupe={loupe} locked={locked} act={act} />
                </>
              ) : (
                <>
                  <TurnPanel stack={stack} />
                  <StagePanel bench={bench} tiles={stack.tiles} locked={locked} act={act} />
                </>
              )}
              <Button look="quiet" className="w-full" onClick={() => setSheet("bench")}>
                Rail, camera, folder, faults
              </Button>
            </>
          ) : (
            <Elsewhere bench={bench} onSetUp={() => setUp()} />
          )}
        </div>
        <div className="max-h-[55%] shrink-0 overflow-y-auto border-rule border-t p-4 pt-3 small:max-h-none small:min-w-72 small:flex-1">
          <RunPanel
            stack={stack}
            take={take}
            bench={bench}
            run={run}
            trouble={growth?.trouble ?? null}
            chosen={view === "frame" ? (frame?.rung ?? null) : null}
            locked={locked}
            act={act}
            onShoot={shoot}
            onByHand={() => setSheet("hand")}
          />
        </div>
      </aside>
      {sheet === "preflight" && (
        <Preflight
          stackId={stack.id}
          driven={driven}
          more={moved && driven && wish.repair_of === undefined ? left : 0}
          onClose={() => setSheet(null)}
          onGo={go}
        />
      )}
      <BenchPanel
        key={bench.settings.folder + bench.settings.rail}
        bench={bench}
        open={sheet === "bench"}
        refused={refused}
        onClose={() => setSheet(null)}
        act={act}
        sound={sound}
        onSound={(on) => {
          setSound(on);
          localStorage.setItem("sound", on ? "on" : "off");
        }}
      />
      <ByHand
        stack={stack}
        bench={bench}
        locked={locked}
        open={sheet === "hand"}
        onClose={() => setSheet(null)}
        act={act}
        onChange={refresh}
      />
    </div>
  );
}

/** The bench stands for another stack: one line, and the way there or back. */
function Elsewhere({ bench, onSetUp }: { bench: Bench; onSetUp: () => void }) {
  return (
    <Notice kind="hint" title={`The bench is set up for ${bench.stack_label ?? "nothing"}.`}>
      {bench.busy && `It is ${bench.busy}. `}
      {bench.busy && bench.stack_id !== null ? (
        <Link
          className="underline"
          to="/stacks/$stackId/$stage"
          params={{ stackId: String(bench.stack_id), stage: "shoot" }}
        >
          Go there
        </Link>
      ) : (
        <Button className="mt-2 w-full" onClick={onSetUp}>
          Set it up for this stack
        </Button>
      )}
    </Notice>
  );
}
