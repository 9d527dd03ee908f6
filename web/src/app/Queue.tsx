import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Queued } from "../client/api";
import { duration } from "../lib/numbers";
import { Holding } from "../specimen/Holding";
import { methodName } from "../specimen/report";
import { Button } from "../ui/Button";
import { Flyout } from "../ui/Flyout";
import { Notice } from "../ui/Notice";
import { Work } from "../ui/Work";

/** The workers' work, on whichever page: what runs, what waits behind it, and for how long. */
export function Queue() {
  const [open, setOpen] = useState(false);
  const queries = useQueryClient();
  const queue = useQuery({
    queryKey: ["queue"],
    queryFn: api.queue,
    // How far what runs has come is told at once; when what waits will begin is asked now and then.
    refetchInterval: ({ state }) => (state.data?.length ? 5000 : false),
  });
  const stop = useMutation({
    mutationFn: (id: number) => api.stop(id),
    onSettled: () => queries.invalidateQueries({ queryKey: ["queue"] }),
  });
  const order = useMutation({
    mutationFn: api.orderQueue,
    onSuccess: (now) => queries.setQueryData(["queue"], now),
  });
  const held = useQuery({ queryKey: ["held"], queryFn: api.held });
  const elsewhere = useQuery({
    queryKey: ["workers"],
    queryFn: api.workers,
    enabled: open,
    refetchInterval: open && 5000,
  });
  const all = queue.data ?? [];
  if (all.length === 0 && !held.data && !open) return null;
  const waiting = all.filter((one) => one.task.state !== "running").map((one) => one.task.id);
  const earlier = (id: number, to: number) =>
    order.mutate(waiting.filter((one) => one !== id).toSpliced(Math.max(0, to), 0, id));
  return (
    <Flyout
      label="Queue"
      trigger={`Queue, ${all.length}${held.data ? ", held" : ""}`}
      triggerClass="min-h-11 px-1 hover:text-ink hover:underline"
      align="end"
      className="max-h-[80vh] w-[460px] overflow-y-auto text-[0.9375rem]"
      open={open}
      onOpenChange={setOpen}
    >
      {all.length === 0 && <p className="text-ink2">Nothing waits.</p>}
      {!!elsewhere.data?.length && (
        <p className="mb-3 text-ink2">The station merges together with {elsewhere.data.join(", ")}.</p>
      )}
      <Holding />
      {order.isError && <Notice kind="fault">{order.error.message}</Notice>}
      {stop.isError && <Notice kind="fault">{stop.error.message}</Notice>}
      <ol className="space-y-3">
        {all.map((one) => (
          <li key={one.task.id}>
            {one.task.state === "running" ? (
              <Work
                title={one.elsewhere ? `${named(one)}, on ${one.elsewhere}` : named(one)}
                done={one.task.done}
                total={one.task.total}
                secondsLeft={one.takes_s}
                onStop={() => stop.mutate(one.task.id)}
              />
            ) : (
              <div className="flex flex-wrap items-center gap-2">
                <p className="min-w-0 flex-1 basis-56">
                  <strong>{named(one)}</strong>
                  <span className="block text-ink2">{waits(one)}</span>
                </p>
                {waiting.indexOf(one.task.id) > 1 && (
                  <Button
                    className="px-3"
                    aria-label={`First: ${named(one)}`}
                    onClick={() => earlier(one.task.id, 0)}
                  >
                    First
                  </Button>
                )}
                {waiting.indexOf(one.task.id) > 0 && (
                  <Button
                    className="px-3"
                    aria-label={`Earlier: ${named(one)}`}
                    onClick={() => earlier(one.task.id, waiting.indexOf(one.task.id) - 1)}
                  >
                    Earlier
                  </Button>
                )}
                <Button aria-label={`Stop ${named(one)}`} onClick={() => stop.mutate(one.task.id)}>
                  Stop
                </Button>
              </div>
            )}
            {one.stack_id !== null && (
              <Link
                to="/stacks/$stackId/$stage"
                params={{ stackId: String(one.stack_id), stage: "merge" }}
                onClick={() => setOpen(false)}
                className="inline-flex min-h-9 items-center underline underline-offset-3"
              >
                To its stack
              </Link>
            )}
          </li>
        ))}
      </ol>
    </Flyout>
  );
}

const named = ({ what, method, number }: Queued) =>
  method === null
    ? what.charAt(0).toUpperCase() + what.slice(1)
    : `${what}: ${methodName(method).toLowerCase()}, run ${number}`;

/** When work that waits will begin, as far as that can be told. */
function waits({ held, begins_in_s, takes_s }: Queued): string {
  if (held && begins_in_s === null) return "held back";
  if (begins_in_s === null) return "waits; nobody knows yet how long what is before it takes";
  const takes = takes_s === null ? "" : `, takes about ${duration(takes_s)}`;
  if (begins_in_s === 0) return `comes next${takes}`;
  return `begins in about ${duration(begins_in_s)}${takes}`;
}
