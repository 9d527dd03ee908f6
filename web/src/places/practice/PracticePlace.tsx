import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Practice, type Schemas } from "../../client/api";
import { percent, plural } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Notice, Placeholder } from "../../ui/Notice";
import { Sets } from "./Sets";

const FROM_LEVEL = 0.75; // one who is as good as this lately is offered the next level

/** Exercises of a few minutes on simulated specimens, with one's own progress: nobody else sees it. */
export function PracticePlace() {
  const practice = useQuery({ queryKey: ["practice"], queryFn: api.practice });
  const rigs = useQuery({ queryKey: ["rigs"], queryFn: api.rigs });
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [levels, setLevels] = useState<Record<string, number>>({});
  const [rigId, setRigId] = useState("station");
  const begin = useMutation({
    mutationFn: (entry: Schemas["AttemptEntry"]) => api.beginExercise(entry),
    onSuccess: (begun) => {
      queries.setQueryData(["exercise", begun.id], begun);
      void navigate({ to: "/practice/$attemptId", params: { attemptId: String(begun.id) } });
    },
  });
  if (practice.isError)
    return (
      <Placeholder>
        <Notice kind="fault">{practice.error.message}</Notice>
      </Placeholder>
    );
  if (!practice.data) return <Placeholder>Looking …</Placeholder>;
  const { exercises, progress, open_id } = practice.data;
  const lenses = (rigs.data ?? []).filter((one) => one.rig.train.kind === "lens");
  const levelOf = (one: Practice["exercises"][number]) =>
    levels[one.key] ??
    offered(
      progress.find((mine) => mine.judgement === one.judgement),
      practice.data.levels,
    );
  return (
    <div className="h-full overflow-y-auto px-5 pb-6">
      <div className="flex flex-wrap items-baseline gap-x-4 py-3">
        <h1 className="text-[1.25rem]">Practice</h1>
        <p className="text-ink2">
          Judgement is learnt by ruining specimens: here they are simulated, drawn anew each time, and their
          truth is known. Take your time; nothing is gained by haste where it is wrong.
        </p>
      </div>
      {open_id !== null && (
        <Notice kind="hint" title="An exercise is not answered yet.">
          <Link
            to="/practice/$attemptId"
            params={{ attemptId: String(open_id) }}
            className="inline-flex min-h-9 items-center underline"
          >
            Go on with it
          </Link>
        </Notice>
      )}
      {begin.isError && <Notice kind="fault">{begin.error.message}</Notice>}
      <div className="grid grid-cols-[minmax(0,1fr)_clamp(260px,24vw,380px)] gap-8 small:block">
        <ul aria-label="Exercises">
          {exercises.map((one) => (
            <li
              key={one.key}
              className="flex flex-wrap items-center gap-x-6 gap-y-1 border-rule border-b py-2.5"
            >
              <div className="min-w-64 flex-1">
                <h2 className="text-[1.0625rem]">{one.title}</h2>
                <p className="text-[0.9375rem] text-ink2">
                  {one.words} About {one.minutes} min.
                </p>
              </div>
              <div className="w-28">
                <Choice
                  beside
                  label="Level"
                  value={String(levelOf(one))}
                  options={levelNames(practice.data.levels)}
                  onChange={(level) => setLevels({ ...levels, [one.key]: Number(level) })}
                />
              </div>
              <Button
                aria-label={`Begin: ${one.title}`}
                disabled={begin.isPending}
                onClick={() =>
                  begin.mutate({
                    kind: one.key,
                    level: levelOf(one),
                    flaws: [],
                    note: "",
                    rig_id: one.needs_rig && rigId !== "station" ? Number(rigId) : null,
                  })
                }
              >
                Begin
              </Button>
            </li>
          ))}
        </ul>
        <aside>
          <h2 className="text-[1rem]">Your own progress</h2>
          <p className="text-[0.875rem] text-ink2">By kind of judgement. It is shown to nobody else.</p>
          <ul aria-label="Progress" className="mt-1">
            {progress.map((one) => (
              <li key={one.judgement} className="border-rule border-b py-2">
                <div className="flex justify-between gap-3">
                  <span>{one.judgement}</span>
                  <span className="head tabular-nums">
                    {one.lately === null ? "not yet" : percent(one.lately)}
                  </span>
                </div>
                <div className={`mt-1 flex items-end gap-1 ${one.count > 0 ? "h-6" : ""}`} aria-hidden="true">
                  {one.last.map((score, n) => (
                    <span
                      // biome-ignore lint/suspicious/noArrayIndexKey: the last few, in their order
                      key={n}
                      className="w-4 bg-amber-fill"
                      style={{ height: `${Math.max(4, 100 * score)}%` }}
                    />
                  ))}
                </div>
                {one.count > 0 && (
                  <p className="text-[0.875rem] text-ink2">
                    {plural(one.count, "answer")}, up to level {one.level}; the last {one.last.length} above
                  </p>
                )}
              </li>
            ))}
          </ul>
          {lenses.length > 0 && (
            <Choice
              label="Aperture and step on"
              value={rigId}
              options={[
                { value: "station", label: "a lens at 4:1" },
                ...lenses.map((one) => ({ value: String(one.id), label: one.name })),
              ]}
              onChange={setRigId}
            />
          )}
          <Sets
            exercises={exercises}
            levels={practice.data.levels}
            onBegin={(entry) => begin.mutate(entry)}
          />
        </aside>
      </div>
    </div>
  );
}

export const levelNames = (levels: number) =>
  Array.from({ length: levels }, (_, n) => ({ value: String(n + 1), label: String(n + 1) }));

function offered(mine: Practice["progress"][number] | undefined, levels: number): number {
  if (!mine || mine.lately === null) return 1;
  const next = mine.lately >= FROM_LEVEL && mine.last.length >= 3 ? mine.level + 1 : mine.level;
  return Math.min(Math.max(next, 1), levels);
}
