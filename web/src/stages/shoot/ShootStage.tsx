import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Frame, pictureUrl, type Stack, type Take } from "../../client/api";
import { Ladder } from "../../ladder/Ladder";
import { drawing } from "../../ladder/layout";
import { bytes, duration, plural, um } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Notice } from "../../ui/Notice";
import { Work } from "../../ui/Work";
import { latestTake, useStack } from "../StackPage";
import { OwnFrames } from "./OwnFrames";

/** Run the ladder on the bench, or bring one's own frames. */
export function ShootStage() {
  const stack = useStack();
  const take = latestTake(stack);
  const [chosen, setChosen] = useState<number | null>(null);
  const frames = take?.frames ?? [];
  const shown = frames.find((frame) => frame.id === chosen) ?? frames.at(-1) ?? null;
  const caption = take ? `${take.frames.length} of ${stack.ladder.frames} shot` : "not shot yet";

  return (
    <div className="grid h-full grid-cols-[264px_1fr_300px]">
      <Ladder
        drawing={drawing(stack.plan, stack.ladder, take)}
        caption={caption}
        chosen={shown?.rung ?? null}
        onChoose={(rung) => setChosen(rung.frame?.id ?? null)}
      />
      <div className="flex min-h-0 min-w-0 flex-col">
        <FramePicture frame={shown} busy={take?.task?.state === "running"} />
        <Strip frames={frames} shown={shown} onChoose={setChosen} />
      </div>
      <Bench stack={stack} take={take} />
    </div>
  );
}

function FramePicture({ frame, busy }: { frame: Frame | null; busy: boolean }) {
  return (
    <div className="relative min-h-0 flex-1 bg-mat">
      {frame ? (
        <>
          <img
            alt={`Frame ${frame.name}`}
            src={pictureUrl("frame", frame.id, "preview.jpg")}
            className="absolute inset-0 size-full object-contain"
          />
          <p className="head absolute top-2.5 left-3 rounded-s bg-card px-2.5 py-1 text-[13px]">
            {busy ? "Last frame: " : ""}
            {frame.name}
          </p>
        </>
      ) : (
        <p className="absolute inset-0 grid place-items-center text-[#dfe4df]">No frame yet.</p>
      )}
    </div>
  );
}

function Strip({
  frames,
  shown,
  onChoose,
}: {
  frames: Frame[];
  shown: Frame | null;
  onChoose: (id: number) => void;
}) {
  if (!shown) return null;
  const at = frames.indexOf(shown);
  const to = (step: number) => {
    const next = frames[at + step];
    if (next) onChoose(next.id);
  };
  return (
    <div className="flex min-h-14 items-center gap-4 border-ink border-t bg-card px-4">
      <Button onClick={() => to(-1)} disabled={at <= 0}>
        Nearer frame
      </Button>
      <Button onClick={() => to(1)} disabled={at >= frames.length - 1}>
        Farther frame
      </Button>
      <p className="min-w-0 flex-1 truncate text-[14px] text-ink2">
        {shown.width_px} × {shown.height_px} px, {shown.bits} bit, {bytes(shown.bytes)}
        {shown.position_um !== null && ` · rail at ${um(shown.position_um)}`}
        {shown.captured_at && ` · shot ${shown.captured_at.replace("T", " ").slice(0, 19)}`}
        {shown.left_out && ` · left out: ${shown.left_out}`}
      </p>
    </div>
  );
}

function Bench({ stack, take }: { stack: Stack; take: Take | undefined }) {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["stack", stack.id] });
  const stop = useMutation({ mutationFn: (id: number) => api.stop(id), onSuccess: refresh });
  const task = take?.task;
  const busy = task?.state === "running" || task?.state === "waiting";
  const open = take?.source === "files" && !take.complete;

  return (
    <aside aria-label="Bench" className="space-y-5 overflow-y-auto border-ink border-l bg-card p-4">
      {busy && task && (
        <section aria-label="Shooting now" className="space-y-3">
          <h2 className="text-[16px]">Shooting take {take.number}</h2>
          <Work
            title={task.state === "waiting" ? "Waiting for the bench" : "Shooting"}
            done={task.done}
            total={task.total}
            secondsLeft={task.seconds_left}
          />
          <Button
            look="next"
            className="w-full"
            onClick={() => stop.mutate(task.id)}
            disabled={stop.isPending}
          >
            Stop after this rung
          </Button>
          <p className="text-[14px] text-ink2">
            Stopping keeps what was shot. Another take never overwrites this one.
          </p>
        </section>
      )}
      {take?.complete && !busy && (
        <section aria-label="Latest take" className="space-y-3">
          <h2 className="text-[16px]">Take {take.number}</h2>
          <p>
            {plural(take.frames.filter((frame) => !frame.left_out).length, "frame")},{" "}
            {take.source === "bench" ? "shot on the simulated bench" : "own files"}
            {task?.state === "stopped" && ", stopped early"}.
          </p>
          <LeftOut take={take} />
          <Link
            to="/stacks/$stackId/merge"
            params={{ stackId: String(stack.id) }}
            className="head flex min-h-11 items-center justify-center rounded-s border border-amber bg-amber-fill px-4 text-on-amber"
          >
            Merge this take
          </Link>
        </section>
      )}
      {task?.state === "failed" && (
        <Notice kind="fault" title="Shooting failed.">
          {task.message}
        </Notice>
      )}
      {stop.isError && <Notice kind="fault">{stop.error.message}</Notice>}
      {!busy && !open && <ShootOnBench stack={stack} again={Boolean(take)} onBegun={refresh} />}
      {!busy && <OwnFrames stack={stack} take={open ? take : undefined} onChange={refresh} />}
    </aside>
  );
}

function LeftOut({ take }: { take: Take }) {
  const out = take.frames.filter((frame) => frame.left_out);
  if (out.length === 0) return null;
  return (
    <Notice kind="hint" title={`${plural(out.length, "frame")} left out.`}>
      <ul>
        {out.map((frame) => (
          <li key={frame.id}>
            {frame.name} {frame.left_out}
          </li>
        ))}
      </ul>
    </Notice>
  );
}

const SCENE_OF: Record<string, string> = {
  plant: "moss-capsule",
  insect: "lacewing-eyes",
  mineral: "wulfenite",
  snow: "capped-column",
};

function ShootOnBench({ stack, again, onBegun }: { stack: Stack; again: boolean; onBegun: () => void }) {
  const scenes = useQuery({ queryKey: ["scenes"], queryFn: api.scenes, staleTime: Number.POSITIVE_INFINITY });
  const [scene, setScene] = useState(
    () => latestTake(stack)?.scene ?? SCENE_OF[stack.specimen.kind] ?? "moss-capsule",
  );
  const begin = useMutation({
    mutationFn: () => api.beginTake(stack.id, { source: "bench", scene }),
    onSuccess: onBegun,
  });
  const lying = scenes.data?.find((one) => one.key === scene);
  const depth = stack.ladder.far_um - stack.plan.near_um;
  return (
    <section aria-label="Simulated bench" className="space-y-2">
      <h2 className="text-[16px]">Simulated bench</h2>
      <Choice
        label="Under the lens lies"
        value={scene}
        options={(scenes.data ?? []).map((one) => ({ value: one.key, label: one.name }))}
        onChange={setScene}
      />
      {lying && (
        <p className="text-[14px] text-ink2">
          About {um(lying.width_um)} wide and {um(lying.depth_um)} deep; its nearest point lies at the plan's
          nearest point. Field {stack.optics.field_mm.map((side) => side.toFixed(2)).join(" × ")} mm.
        </p>
      )}
      {lying && lying.depth_um > depth * (stack.ladder.step_in_medium_um / stack.ladder.step_um) * 1.02 && (
        <Notice kind="hint" title="The ladder ends before the specimen does.">
          It reaches {um(depth)} deep: what lies deeper stays soft. Plan a farther point.
        </Notice>
      )}
      <p className="text-[14px] text-ink2">
        {plural(stack.ladder.frames, "rung")} every {um(stack.ladder.step_um)}; on a real bench{" "}
        {duration(stack.ladder.seconds)}.
      </p>
      <Button
        look={again ? "plain" : "next"}
        className="w-full"
        onClick={() => begin.mutate()}
        disabled={begin.isPending}
      >
        {again ? "Shoot another take" : "Shoot this ladder"}
      </Button>
      {begin.isError && <Notice kind="fault">{begin.error.message}</Notice>}
    </section>
  );
}
