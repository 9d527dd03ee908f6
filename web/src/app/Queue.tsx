import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Queued } from "../client/api";
import { duration } from "../lib/numbers";
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
  const elsewhere = useQuery({
    queryKey: ["workers"],
    queryFn: api.workers,
    enabled: open,
    refetchInterval: open && 5000,
  });
  const all = queue.data ?? [];
  if (all.length === 0 && !open) return null;
  return (
    <Flyout
      label="Queue"
      trigger={`Queue, ${all.length}`}
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
              <div className="flex items-center gap-4">
                <p className="min-w-0 flex-1">
                  <strong>{named(one)}</strong>
                  <span className="block text-ink2">{waits(one)}</span>
                </p>
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
function waits({ begins_in_s, takes_s }: Queued): string {
  if (begins_in_s === null) return "waits; nobody knows yet how long what is before it takes";
  const takes = takes_s === null ? "" : `, takes about ${duration(takes_s)}`;
  if (begins_in_s === 0) return `comes next${takes}`;
  return `begins in about ${duration(begins_in_s)}${takes}`;
}
