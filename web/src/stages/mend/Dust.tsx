import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, type Mend, type Step } from "../../client/api";
import { plural, px } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Notice } from "../../ui/Notice";
import { Work } from "../../ui/Work";

interface Props {
  mend: Mend;
  busy: boolean;
  onStep: (step: Step) => void;
  onSet: (number: number, step: Step) => void;
}

interface Spot {
  number: number;
  x: number;
  y: number;
  radius_px: number;
  replaced: boolean;
}

const PHASES: Record<string, string> = {
  detail: "Looking where each frame is sharp",
  dust: "Looking for dust on the sensor",
};

/** Dust on the sensor: found by itself, replaced from frames that show what lies behind; each spot can be refused. */
export function Dust({ mend, busy, onStep, onSet }: Props) {
  const queries = useQueryClient();
  const stop = useMutation({
    mutationFn: (id: number) => api.stop(id),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["mend", mend.id] }),
  });
  const again = useMutation({
    mutationFn: () => api.lookAgain(mend.id),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["mend", mend.id] }),
  });
  const { task } = mend.rack;
  if (task && (task.state === "waiting" || task.state === "running"))
    return (
      <Work
        title={
          task.state === "waiting" ? "Waiting to look at the frames" : (PHASES[task.phase] ?? "Starting")
        }
        done={task.done}
        total={task.total}
        secondsLeft={task.seconds_left}
        onStop={() => stop.mutate(task.id)}
      />
    );
  const spots = mend.rack.spots as Spot[] | null;
  if (!spots)
    return (
      <Notice kind="hint" title="The frames were not looked at.">
        {task?.message ? `${task.message}. ` : ""}Which is sharpest where, and where dust lies, is not known.
        <Button className="mt-2" disabled={again.isPending} onClick={() => again.mutate()}>
          Look at them
        </Button>
      </Notice>
    );
  const found = spots.filter((one) => one.replaced);
  const step = mend.steps.findLast((one) => one.step.kind === "dust" && !one.step.off);
  const keep = new Set((step?.step.keep as number[] | undefined) ?? []);
  if (found.length === 0)
    return (
      <p className="border-rule border-t pt-2 text-ink2">No dust of the sensor shows in this picture.</p>
    );
  return (
    <section aria-label="Dust" className="border-rule border-t pt-2">
      <div className="flex items-center justify-between gap-2">
        <span>{plural(found.length, "spot")} of dust on the sensor</span>
        {!step && (
          <Button className="px-3" disabled={busy} onClick={() => onStep({ kind: "dust" })}>
            Replace
          </Button>
        )}
      </div>
      {step && (
        <details>
          <summary className="min-h-8 content-center underline underline-offset-3">
            Refuse some of them
          </summary>
          <ul aria-label="Spots of dust" className="max-h-40 overflow-y-auto">
            {found.map((one) => (
              <li key={one.number}>
                <label className="flex min-h-8 items-center gap-2">
                  <input
                    type="checkbox"
                    className="size-4 accent-(--ink)"
                    checked={!keep.has(one.number)}
                    disabled={busy}
                    onChange={() => {
                      const left = new Set(keep);
                      if (!left.delete(one.number)) left.add(one.number);
                      onSet(step.number, { ...(step.step as Step), keep: [...left].sort((a, b) => a - b) });
                    }}
                  />
                  replaced at {Math.round(one.x)}, {Math.round(one.y)} of the sensor, {px(2 * one.radius_px)}
                </label>
              </li>
            ))}
          </ul>
        </details>
      )}
    </section>
  );
}
