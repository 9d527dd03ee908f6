import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, type MergeSettings, type Stack, type Take } from "../../client/api";
import { duration } from "../../lib/numbers";
import { METHODS, type Method, MOVED, type Moved, title, USUAL_WINDOW_PX } from "../../specimen/report";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Check, NumberField } from "../../ui/Field";
import { Failures, Notice } from "../../ui/Notice";
import { Work } from "../../ui/Work";

const PHASES: Record<string, string> = {
  fetch: "Fetching its frames",
  register: "Aligning and measuring focus",
  merge: "Merging",
  save: "Saving",
};

/** What is wrong with a setting of the pyramid, if anything. */
export const outside = (value: number | null, low: number, high: number) =>
  value !== null && (value < low || value > high) ? `Enter ${low} to ${high}.` : undefined;

interface Props {
  stack: Stack;
  take: Take;
  /** Told the settings at hand, and the ways that are ticked, to try them on a patch. */
  onTry?: (settings: MergeSettings, methods: readonly Method[]) => void;
}

/** Merge a take by one method or by several, one after another; watch and stop what runs. */
export function MergeControls({ stack, take, onTry }: Props) {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["stack", stack.id] });
  const fresh = take.merges.every((merge) => merge.task.state !== "done");
  const [methods, setMethods] = useState<ReadonlySet<Method>>(new Set(fresh ? ["auto"] : []));
  const [windowPx, setWindowPx] = useState<number | null>(USUAL_WINDOW_PX);
  const [calm, setCalm] = useState<number | null>(0);
  const [near, setNear] = useState<number | null>(null);
  const [far, setFar] = useState<number | null>(null);
  const [moved, setMoved] = useState<Moved>("auto");
  const settings = useRef<HTMLDetailsElement>(null);
  const atHand = {
    window_px: windowPx ?? USUAL_WINDOW_PX,
    calm: calm ?? 0,
    sharp_near_um: near,
    sharp_far_um: far,
    moved,
  };
  const begin = useMutation({
    mutationFn: async () => {
      for (const method of methods) await api.beginMerge(take.id, { method, ...atHand });
    },
    onSuccess: () => setMethods(new Set()),
    onSettled: refresh,
  });
  /** What cannot be used is gone to instead: it may lie in the folded part. */
  const unlessWrong = (go: () => void) => () => {
    const wrong = settings.current?.querySelector<HTMLElement>("[aria-invalid=true]");
    if (!wrong || !settings.current) return go();
    settings.current.open = true;
    wrong.focus();
    wrong.scrollIntoView({ block: "center" }); // with what is wrong, which stands below it
  };
  const stop = useMutation({ mutationFn: (id: number) => api.stop(id), onSuccess: refresh });
  const running = take.merges.filter(({ task }) => task.state === "running" || task.state === "waiting");
  const queue = useQuery({ queryKey: ["queue"], queryFn: api.queue, enabled: running.length > 0 });
  /** What one that has not begun waits for. */
  const waiting = (id: number) => {
    const place = queue.data?.findIndex(({ task }) => task.id === id) ?? -1;
    const own = queue.data?.[place];
    if (!own || place === 0) return "waiting for its turn";
    const seconds = own.begins_in_s === null ? "" : `, about ${duration(own.begins_in_s)}`;
    return `waiting for ${queue.data?.[0]?.what}${place > 1 ? ` and ${place - 1} more` : ""}${seconds}`;
  };
  const last = take.merges.at(-1);
  const ended = running.length === 0 ? last : undefined;
  return (
    <section aria-label={`Merge take ${take.number}`} className="space-y-2">
      {running.map((merge) => (
        <Work
          key={merge.id}
          title={`${title(merge)}: ${merge.task.state === "waiting" ? waiting(merge.task.id) : (PHASES[merge.task.phase] ?? "starting")}`}
          done={merge.task.done}
          total={merge.task.total}
          secondsLeft={merge.task.seconds_left}
          onStop={() => stop.mutate(merge.task.id)}
        />
      ))}
      {ended?.task.state === "failed" && (
        <Notice kind="fault" title={`${title(ended)} failed.`}>
          {ended.task.message}
        </Notice>
      )}
      {ended?.task.state === "stopped" && (
        <Notice kind="hint" title={`${title(ended)} was stopped.`}>
          Nothing was written.
        </Notice>
      )}
      <div className="flex flex-wrap items-center gap-x-5 gap-y-1">
        {(Object.keys(METHODS) as Method[]).map((method) => (
          <Check
            key={method}
            label={METHODS[method]}
            checked={methods.has(method)}
            onChange={(on) => {
              const after = new Set(methods);
              if (on) after.add(method);
              else after.delete(method);
              setMethods(after);
            }}
          />
        ))}
        <Button
          look={fresh && running.length === 0 ? "next" : "plain"}
          disabled={begin.isPending || methods.size === 0}
          onClick={unlessWrong(() => begin.mutate())}
        >
          {methods.size > 1 ? `Merge by these ${methods.size}` : `Merge take ${take.number}`}
        </Button>
        {onTry && <Button onClick={unlessWrong(() => onTry(atHand, [...methods]))}>Try a patch</Button>}
      </div>
      <Failures of={[begin.error, stop.error]} />
      <details ref={settings}>
        <summary className="min-h-8 cursor-pointer py-1 text-ink2">
          Window, calm, sharp range, movement
        </summary>
        <NumberField
          label="Window"
          unit="px"
          value={windowPx}
          onChange={setWindowPx}
          problem={outside(windowPx, 0.5, 50)}
          hint="Pyramid, also within auto: smaller keeps finer hairs, larger is calmer."
        />
        <NumberField
          label="Calm"
          value={calm}
          onChange={setCalm}
          problem={outside(calm, 0, 1)}
          hint="How far noise is averaged away where no frame stands out, 0 to 1."
        />
        <NumberField
          label="Sharp from"
          unit="µm"
          value={near}
          onChange={setNear}
          optional
          problem={outside(near, 0, 1e7)}
          hint="Depth below the nearest frame; empty: all."
        />
        <NumberField
          label="Sharp to"
          unit="µm"
          value={far}
          onChange={setFar}
          optional
          problem={far !== null && far <= (near ?? 0) ? "This is nearer than where it begins." : undefined}
          hint="Beyond, the picture falls off as in a single frame."
        />
        <Choice
          label="What moved"
          value={moved}
          options={(Object.keys(MOVED) as Moved[]).map((value) => ({ value, label: MOVED[value] }))}
          onChange={(value) => setMoved(value as Moved)}
        />
      </details>
    </section>
  );
}
