import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Held } from "../client/api";
import { moment } from "../lib/numbers";
import { Choice } from "../ui/Choice";
import { Notice } from "../ui/Notice";

const NIGHT = 20;

/** The next time that evening comes. */
function evening(): Date {
  const time = new Date();
  if (time.getHours() >= NIGHT) time.setDate(time.getDate() + 1);
  time.setHours(NIGHT, 0, 0, 0);
  return time;
}

/** Whether merges go on, or wait: for a run, for the night, until told. */
export function Holding() {
  const queries = useQueryClient();
  const held = useQuery({ queryKey: ["held"], queryFn: api.held }).data ?? null;
  const night = evening();
  const change = useMutation<unknown, Error, string>({
    mutationFn: (way) =>
      way === "on"
        ? api.letGo()
        : api.hold(way as Held["reason"], way === "time" ? night.toISOString() : undefined),
    onSettled: () => {
      for (const key of ["held", "queue", "day"]) void queries.invalidateQueries({ queryKey: [key] });
    },
  });
  return (
    <div className="mb-2">
      <Choice
        beside
        label="Merges"
        value={held?.reason ?? "on"}
        options={[
          { value: "on", label: "go on as they come" },
          { value: "run", label: "wait until the run at the bench has ended" },
          { value: "time", label: `wait until ${moment(held?.until ?? night.toISOString())}` },
          { value: "told", label: "wait until I let them go on" },
        ]}
        onChange={(way) => change.mutate(way)}
      />
      {held && <p className="pt-1 text-[0.875rem] text-ink2">What is being merged now is not stopped.</p>}
      {change.isError && <Notice kind="fault">{change.error.message}</Notice>}
    </div>
  );
}
