import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Specimen, type Stack } from "../../client/api";
import { show } from "../../client/live";
import { Button } from "../../ui/Button";
import { Notice } from "../../ui/Notice";

/** What to mind with this specimen: read once and ticked, kept in the record. */
export function Cautions({ specimen, stack }: { specimen: Specimen; stack: Stack | null }) {
  const queries = useQueryClient();
  const found = useQuery({ queryKey: ["cautions", specimen], queryFn: () => api.cautions(specimen.id) });
  const tick = useMutation({
    mutationFn: (key: string) => api.tickCaution(stack?.id ?? 0, key),
    onSuccess: (changed) => show(queries, ["stack", changed.id], changed),
  });
  if (found.isError) return <Notice kind="fault">{found.error.message}</Notice>;
  return (
    <section aria-label="Cautions">
      <p className="pb-1 text-[0.875rem] text-ink2">
        A reminder, no instruction: follow data sheets, your local rules, and trained staff.
        {stack ? " What you tick goes into the record." : " Save the ladder to tick them."}
      </p>
      {tick.isError && <Notice kind="fault">{tick.error.message}</Notice>}
      <ul>
        {found.data?.map((one) => {
          const read = stack?.cautions_read.includes(one.key) ?? false;
          return (
            <li key={one.key} className="flex items-start justify-between gap-4 border-rule border-b py-2">
              <p className="text-[0.875rem]">
                <strong>{one.title}</strong> {one.text}
              </p>
              {read ? (
                <span className="shrink-0 py-2 text-[0.875rem] text-ink2">read</span>
              ) : (
                <Button
                  className="shrink-0"
                  aria-label={`I have read it: ${one.title}`}
                  disabled={!stack || tick.isPending}
                  onClick={() => tick.mutate(one.key)}
                >
                  I have read it
                </Button>
              )}
            </li>
          );
        })}
      </ul>
      {found.data?.length === 0 && <p className="text-ink2">Nothing particular applies.</p>}
    </section>
  );
}
