import { type QueryClient, useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, type Mend, Refusal, type Step } from "../../client/api";
import { show } from "../../client/live";
import type { Pending } from "./painting";

/** Changes of a mend, one after the other: each begins from what the one before it came to. */
export function useChanges(mend: Mend) {
  const queries = useQueryClient();
  const key = ["mend", mend.id];
  const line = useRef<Promise<unknown>>(Promise.resolve());
  const ordered = useRef(0);
  const [waiting, setWaiting] = useState(0);
  const [error, setError] = useState<Error | null>(null);
  const [pending, setPending] = useState<Pending[]>([]);
  const [setting, setSetting] = useState<{ number: number; step: Step }[]>([]);
  const shownWith = useRef(new Map<number, number>());
  const counter = useRef(0);

  const latest = () => queries.getQueryData<Mend>(key) ?? mend;
  /** Do it after all that was ordered before; what it came to is shown, and told. */
  const change = async (make: (now: Mend) => Promise<Mend>): Promise<Mend | null> => {
    setWaiting((count) => count + 1);
    const turn = async () => {
      try {
        const made = await make(latest());
        await showMend(queries, made);
        setError(null);
        return made;
      } catch (refused) {
        setError(refused as Error);
        // Changed in another window: what it came to is fetched, and the next change begins from there.
        if (refused instanceof Refusal) await queries.invalidateQueries({ queryKey: key });
        return null;
      }
    };
    ordered.current += 1;
    // The first in line goes at once: a promise's turn comes only after the page has been drawn.
    const mine = ordered.current === 1 ? turn() : line.current.then(turn);
    line.current = mine;
    const made = await mine;
    ordered.current -= 1;
    setWaiting((count) => count - 1);
    return made;
  };

  /** Lay a step on; until its pixels are here, what was drawn stays in sight. */
  const add = async (step: Step, drawn?: Omit<Pending, "id">): Promise<number | null> => {
    counter.current += 1;
    const id = counter.current;
    if (drawn) setPending((all) => [...all, { ...drawn, id }]);
    const made = await change((now) => api.addStep(now.id, now.revision, step));
    if (!made) setPending((all) => all.filter((one) => one.id !== id));
    else if (drawn) shownWith.current.set(id, made.revision);
    return made ? made.steps.length - 1 : null;
  };

  return {
    mend: setting.reduce((now, { number, step }) => withStep(now, number, step), mend),
    busy: waiting > 0,
    error,
    forget: () => setError(null),
    /** Something that cannot be done is told, as what the server refuses is. */
    refuse: (why: string) => {
      setError(new Error(why));
      return null;
    },
    pending,
    add,
    change,
    set: async (number: number, step: Step) => {
      // Ticked at once, whatever is fetched meanwhile; what it comes to follows.
      const mine = { number, step };
      setSetting((all) => [...all, mine]);
      const made = await change((now) => api.changeStep(now.id, now.revision, number, step));
      setSetting((all) => all.filter((one) => one !== mine));
      return made;
    },
    undo: () => change((now) => (now.undo ? api.undoStep(now.id, now.revision) : Promise.resolve(now))),
    redo: () => change((now) => (now.redo ? api.redoStep(now.id, now.revision) : Promise.resolve(now))),
    /** The pixels of a revision are in the picture: what was drawn up to it need not stay. */
    shown: (revision: number) =>
      setPending((all) => {
        const left = all.filter(
          (one) => (shownWith.current.get(one.id) ?? Number.POSITIVE_INFINITY) > revision,
        );
        return left.length === all.length ? all : left;
      }),
  };
}

/** Show what a change came to. Work it tells of as under way may have ended before the answer came: that is asked. */
async function showMend(queries: QueryClient, made: Mend) {
  await show(queries, ["mend", made.id], made);
  const underWay = [made.rack.task, made.mended?.task].some(
    (task) => task && ["waiting", "running"].includes(task.state),
  );
  if (underWay) void queries.invalidateQueries({ queryKey: ["mend", made.id] });
}

function withStep(mend: Mend, number: number, step: Step): Mend {
  return { ...mend, steps: mend.steps.map((one) => (one.number === number ? { ...one, step } : one)) };
}

/** Rename, copy and write; failures are told by each. */
export function useMendWork(mend: Mend) {
  const queries = useQueryClient();
  const keep = (made: Mend) => showMend(queries, made);
  const stacks = () => queries.invalidateQueries({ queryKey: ["stack", mend.stack_id] });
  return {
    rename: useMutation({
      mutationFn: (name: string) => api.renameMend(mend.id, name),
      onSuccess: async (made) => {
        await keep(made);
        await stacks();
      },
    }),
    copy: useMutation({
      mutationFn: ({ name, merge }: { name: string; merge: number | null }) =>
        api.copyMend(mend.id, name, merge),
      onSuccess: async (made) => {
        await keep(made);
        await stacks();
      },
    }),
    begin: useMutation({
      mutationFn: (merge: number) => api.beginMend(merge, ""),
      onSuccess: async (made) => {
        await keep(made);
        await stacks();
      },
    }),
    write: useMutation({ mutationFn: () => api.writeMend(mend.id), onSuccess: keep }),
    stop: useMutation({
      mutationFn: (task: number) => api.stop(task),
      onSuccess: () => queries.invalidateQueries({ queryKey: ["mend", mend.id] }),
    }),
  };
}
