import type { QueryClient } from "@tanstack/react-query";
import type { Calibration, Card, Frame, Mend, Queued, Stack, Task } from "./api";

const ENDED = new Set(["done", "failed", "stopped"]);

/** Put a task's news into the stack that the pages show. */
export function withTask(stack: Stack, task: Task): Stack {
  return {
    ...stack,
    takes: stack.takes.map((take) => ({
      ...take,
      task: take.task?.id === task.id ? task : take.task,
      merges: take.merges.map((merge) => (merge.task.id === task.id ? { ...merge, task } : merge)),
    })),
  };
}

/** Put a task's news into the mend that the page shows. */
export function withWork(mend: Mend, task: Task): Mend {
  return {
    ...mend,
    rack: mend.rack.task?.id === task.id ? { ...mend.rack, task } : mend.rack,
    mended: mend.mended?.task.id === task.id ? { ...mend.mended, task } : mend.mended,
  };
}

/** Put a frame that has just landed into the stack that the pages show. */
export function withFrame(stack: Stack, takeId: number, frame: Frame): Stack {
  return {
    ...stack,
    takes: stack.takes.map((take) =>
      take.id !== takeId || take.frames.some((one) => one.id === frame.id)
        ? take
        : { ...take, frames: [...take.frames, frame] },
    ),
  };
}

/**
 * Show what the server answered to a change; an older answer still on its way must not come after it. It may have been
 * a newer one, too, asked for when an event told of something else: then it is asked for once more.
 */
export async function show<T>(queries: QueryClient, queryKey: unknown[], now: T) {
  const asked = queries.isFetching({ queryKey, exact: true }) > 0;
  await queries.cancelQueries({ queryKey, exact: true });
  queries.setQueryData(queryKey, now);
  if (asked) void queries.invalidateQueries({ queryKey, exact: true });
}

/**
 * Fetch anew what an event told of. What is on its way for the first time may be older than the event, and is not asked
 * for twice by itself: it is, once it is here.
 */
function anew(queries: QueryClient, queryKey?: unknown[]) {
  const first = queries
    .getQueryCache()
    .findAll({ queryKey, fetchStatus: "fetching", predicate: (one) => one.state.data === undefined });
  void queries.invalidateQueries({ queryKey });
  for (const { promise, queryKey } of first) {
    const again = () => queries.invalidateQueries({ queryKey, exact: true });
    promise?.then(again, again);
  }
}

/** Fetch anew what people change; pictures and what was reckoned from them stay as they are. */
export function refresh(queries: QueryClient) {
  for (const key of [
    "deeds",
    "discards",
    "cabinet",
    "day",
    "ledger",
    "ledgerHead",
    "ledgerViews",
    "labelEntries",
    "rights",
    "fileNames",
    "stack",
    "rigs",
    "parts",
    "calibrations",
    "cards",
    "card",
    "mend",
    "measuring",
    "measureSeries",
    "label",
    "bench",
    "queue",
    "held",
  ])
    anew(queries, [key]);
}

/** Listen to the server's events and keep the queries true. Returns how to stop. */
export function listen(queries: QueryClient): () => void {
  const source = new EventSource("/api/events");
  source.addEventListener("task", (event) => {
    const { stack_id, task } = JSON.parse(event.data) as { stack_id: number | null; task: Task };
    if (task.kind === "calibrate") {
      const key = ["calibrations"];
      queries.setQueriesData<Calibration[]>({ queryKey: key }, (all) =>
        all?.map((one) => (one.task?.id === task.id ? { ...one, task } : one)),
      );
      if (ENDED.has(task.state)) anew(queries, key);
    }
    if (task.kind === "card") {
      queries.setQueriesData<Card>({ queryKey: ["card"] }, (card) =>
        card?.task?.id === task.id ? { ...card, task } : card,
      );
      if (ENDED.has(task.state)) anew(queries, ["card"]);
    }
    const before = queries.getQueryData<Queued[]>(["queue"])?.find((one) => one.task.id === task.id);
    queries.setQueryData<Queued[]>(["queue"], (all) =>
      all?.map((one) =>
        one.task.id === task.id ? { ...one, task, takes_s: task.seconds_left ?? one.takes_s } : one,
      ),
    );
    // Another order, and other times: fetched. How far it has come is known already.
    if (before?.task.state !== task.state) anew(queries, ["queue"]);
    if (task.kind === "rack" || task.kind === "mend")
      queries.setQueriesData<Mend>({ queryKey: ["mend"] }, (mend) => mend && withWork(mend, task));
    if ((task.kind === "rack" || task.kind === "mend") && ENDED.has(task.state)) anew(queries, ["mend"]);
    if (stack_id === null) return;
    const key = ["stack", stack_id];
    queries.setQueryData<Stack>(key, (stack) => stack && withTask(stack, task));
    // Anything that ended has results to fetch; and what was begun elsewhere is new here.
    const known = queries
      .getQueryData<Stack>(key)
      ?.takes.some((take) =>
        [take.task, ...take.merges.map((one) => one.task)].some((one) => one?.id === task.id),
      );
    if (!known || ENDED.has(task.state)) anew(queries, key);
    // How far a tile has come is seen in its whole, and in the tiles beside it.
    if (ENDED.has(task.state))
      void queries.invalidateQueries({
        queryKey: ["stack"],
        predicate: ({ state }) =>
          Boolean((state.data as Stack | undefined)?.tiles?.tiles.some((one) => one.stack_id === stack_id)),
      });
    if (task.kind === "package") anew(queries, ["packages"]);
    // What is being shot stands in the day as such; what was merged frees the worker.
    if (before?.task.state !== task.state || ENDED.has(task.state)) anew(queries, ["day"]);
    if (ENDED.has(task.state))
      for (const one of ["cabinet", "ledger", "ledgerHead", "label"]) anew(queries, [one]);
  });
  source.addEventListener("frame", (event) => {
    const { stack_id, take_id, frame } = JSON.parse(event.data) as {
      stack_id: number;
      take_id: number;
      frame: Frame;
    };
    queries.setQueryData<Stack>(["stack", stack_id], (stack) => stack && withFrame(stack, take_id, frame));
  });
  source.addEventListener("mend", (event) => {
    const { id } = JSON.parse(event.data) as { id: number };
    anew(queries, ["mend", id]);
  });
  source.addEventListener("measure", (event) => {
    const { merge_id } = JSON.parse(event.data) as { merge_id: number };
    anew(queries, ["measuring", merge_id]);
  });
  // Somebody changed something, perhaps in another window.
  source.addEventListener("deed", () => refresh(queries));
  source.addEventListener("bench", () => anew(queries, ["bench"]));
  // What happened before the server listened, at first or while the line was lost, was told to nobody: fetched.
  let heard = false;
  source.addEventListener("listening", () => {
    if (heard) anew(queries);
    else refresh(queries);
    heard = true;
  });
  return () => source.close();
}
