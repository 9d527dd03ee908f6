import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api } from "../../client/api";
import { refresh } from "../../client/live";
import { moment } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Notice, Placeholder } from "../../ui/Notice";

/** What was thrown away, why and when, and bringing it back. */
export function DiscardedPlace() {
  const queries = useQueryClient();
  const found = useQuery({ queryKey: ["discards"], queryFn: api.discarded });
  const restore = useMutation({
    mutationFn: (id: number) => api.restore(id),
    onSuccess: () => refresh(queries),
  });
  return (
    <div className="h-full overflow-y-auto px-5 py-4">
      <h1 className="text-[1.25rem]">Discarded</h1>
      <p className="mb-3 max-w-2xl text-ink2">
        Out of all lists, with everything that belonged to it. Originals that another take uses stay in any
        case.
      </p>
      {found.isError && <Notice kind="fault">{found.error.message}</Notice>}
      {restore.isError && <Notice kind="fault">{restore.error.message}</Notice>}
      {found.isPending && <Placeholder>Fetching what was discarded …</Placeholder>}
      {found.data?.length === 0 && <Placeholder>Nothing was discarded.</Placeholder>}
      {found.data && found.data.length > 0 && (
        <table className="w-full max-w-[1100px] text-[0.9375rem]">
          <thead>
            <tr className="border-rule border-b text-left text-[0.875rem] text-ink2">
              <th className="py-1 pr-4">What</th>
              <th className="pr-4">Why</th>
              <th className="pr-4">When</th>
              <th className="pr-4">Goes for good</th>
              <th>
                <span className="sr-only">Bring it back</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {found.data.map((one) => (
              <tr key={one.id} className="border-rule border-b">
                <td className="py-1 pr-4 font-bold">{one.what}</td>
                <td className="pr-4">{one.why}</td>
                <td className="pr-4">
                  {moment(one.at)}
                  {one.by && `, by ${one.by}`}
                </td>
                <td className="pr-4 text-ink2">
                  {one.removed_on ? moment(one.removed_on) : "not by itself"}
                </td>
                <td className="text-right">
                  <Button
                    look="quiet"
                    aria-label={`Restore ${one.what}`}
                    disabled={restore.isPending}
                    onClick={() => restore.mutate(one.id)}
                  >
                    Restore
                  </Button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
