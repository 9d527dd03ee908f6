import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Package } from "../../client/api";
import { Button } from "../../ui/Button";
import { Notice } from "../../ui/Notice";
import { Work } from "../../ui/Work";

const PHASES: Record<string, string> = { pack: "Packing, MB", check: "Reading it again, MB" };
const UNDER_WAY = ["waiting", "running"];

/** The whole stack in one file: originals, results, record. It is made by the worker and gone through at once. */
export function Packages({ mergeId }: { mergeId: number }) {
  const queries = useQueryClient();
  const key = ["packages", mergeId];
  const found = useQuery({
    queryKey: key,
    queryFn: () => api.packages(mergeId),
    refetchInterval: ({ state }) =>
      state.data?.some((one) => UNDER_WAY.includes(one.task.state)) ? 1000 : false,
  });
  const again = () => {
    for (const one of [key, ["queue"], ["label", mergeId]]) void queries.invalidateQueries({ queryKey: one });
  };
  const begin = useMutation({ mutationFn: () => api.beginPackage(mergeId), onSettled: again });
  const stop = useMutation({ mutationFn: (id: number) => api.stop(id), onSettled: again });
  const all = found.data ?? [];
  const working = all.find((one) => UNDER_WAY.includes(one.task.state));
  const failed = all[0]?.task.state === "failed" ? all[0] : undefined;
  const ready = all.filter((one) => one.name !== null);
  return (
    <section aria-label="Packages" className="mt-4">
      <h2 className="mb-1 text-[1rem]">Everything in one file</h2>
      <p className="text-[0.875rem] text-ink2">
        Originals, results, measures and record with its history, as a BagIt zip. Whoever has it can go
        through it and make it all again: <code>./ladder verify FILE.zip --replay</code>
      </p>
      {found.isError && <Notice kind="fault">{found.error.message}</Notice>}
      {begin.isError && <Notice kind="fault">{begin.error.message}</Notice>}
      {failed && (
        <Notice kind="fault" title="It could not be packed.">
          {failed.task.message}
        </Notice>
      )}
      <ul>
        {ready.map((one) => (
          <Ready key={one.id} one={one} />
        ))}
      </ul>
      <div className="mt-2">
        {working ? (
          <Work
            title={
              working.task.state === "waiting" ? "Packing waits" : (PHASES[working.task.phase] ?? "Packing")
            }
            done={working.task.done}
            total={working.task.total}
            secondsLeft={working.task.seconds_left}
            onStop={() => stop.mutate(working.task.id)}
          />
        ) : (
          <Button onClick={() => begin.mutate()} disabled={begin.isPending}>
            {ready.length > 0 ? "Pack it as it is now" : "Pack the stack"}
          </Button>
        )}
      </div>
    </section>
  );
}

function Ready({ one }: { one: Package }) {
  const size = one.bytes === null ? "" : `${(one.bytes / 1e6).toFixed(one.bytes < 1e7 ? 1 : 0)} MB`;
  return (
    <li className="flex min-h-12 items-center justify-between gap-3 border-rule border-b py-1">
      <span className="min-w-0">
        <span className="block break-words">{one.name}</span>
        <span className="block text-[0.875rem] text-ink2">
          {size}, {one.files} files and {one.entries} entries of history, each read again and sound
        </span>
        <span className="block truncate text-[0.8125rem] text-ink2" title={one.sha256 ?? undefined}>
          SHA-256 {one.sha256}
        </span>
      </span>
      <a
        href={`/api/packages/${one.id}.zip`}
        download
        aria-label={`Save package ${one.name}`}
        className="head inline-flex min-h-11 shrink-0 items-center rounded-s border border-ink bg-card px-4"
      >
        Save
      </a>
    </li>
  );
}
