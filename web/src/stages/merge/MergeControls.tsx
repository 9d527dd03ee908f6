import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Stack, type Take } from "../../client/api";
import { Button } from "../../ui/Button";
import { Check } from "../../ui/Field";
import { Notice } from "../../ui/Notice";
import { Work } from "../../ui/Work";
import { METHODS, type Method, title } from "./report";

const PHASES: Record<string, string> = {
  register: "Aligning and measuring focus",
  merge: "Merging",
  save: "Saving",
};

/** Merge a take by one method or by several, one after another; watch and stop what runs. */
export function MergeControls({ stack, take }: { stack: Stack; take: Take }) {
  const queries = useQueryClient();
  const refresh = () => queries.invalidateQueries({ queryKey: ["stack", stack.id] });
  const fresh = take.merges.every((merge) => merge.task.state !== "done");
  const [methods, setMethods] = useState<ReadonlySet<Method>>(new Set(fresh ? ["pyramid"] : []));
  const begin = useMutation({
    mutationFn: async () => {
      for (const method of methods) await api.beginMerge(take.id, method);
    },
    onSuccess: () => setMethods(new Set()),
    onSettled: refresh,
  });
  const stop = useMutation({ mutationFn: (id: number) => api.stop(id), onSuccess: refresh });
  const running = take.merges.filter(({ task }) => task.state === "running" || task.state === "waiting");
  const last = take.merges.at(-1);
  const ended = running.length === 0 ? last : undefined;
  return (
    <section aria-label={`Merge take ${take.number}`} className="space-y-2">
      {running.map((merge) => (
        <Work
          key={merge.id}
          title={`${title(merge)}: ${merge.task.state === "waiting" ? "waiting for its turn" : (PHASES[merge.task.phase] ?? "starting")}`}
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
          onClick={() => begin.mutate()}
        >
          {methods.size > 1 ? `Merge by these ${methods.size}` : `Merge take ${take.number}`}
        </Button>
      </div>
      {[begin.error, stop.error].map(
        (error) =>
          error && (
            <Notice key={error.message} kind="fault">
              {error.message}
            </Notice>
          ),
      )}
    </section>
  );
}
