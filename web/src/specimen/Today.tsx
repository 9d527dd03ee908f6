import { Link } from "@tanstack/react-router";
import { plural } from "../lib/numbers";
import { clock, dateOf } from "./day";
import { useDay } from "./useDay";

/** Today's list in one line: how far it is, what comes next, and what does not fit. */
export function Today() {
  const { day } = useDay(dateOf(new Date()));
  if (day.isPending || day.isError) return null;
  const items = day.data?.items ?? [];
  const shot = items.filter((one) => one.state === "done").length;
  const next = items.find((one) => one.state !== "done");
  const out = day.data?.totals.do_not_fit ?? 0;
  return (
    <section
      aria-label="Today"
      className="flex flex-wrap items-center gap-x-4 border-rule border-b bg-card px-5 text-[0.9375rem]"
    >
      <Link to="/day" className="inline-flex min-h-11 items-center font-bold underline underline-offset-3">
        {items.length ? "Today" : "Plan the day"}
      </Link>
      {items.length === 0 && <span className="text-ink2">Nothing stands on today's list.</span>}
      {items.length > 0 && (
        <span>
          {shot} of {items.length} shot
        </span>
      )}
      {out > 0 && <span className="text-fault">{plural(out, "does", "do")} not fit</span>}
      {next && (
        <Link
          to="/stacks/$stackId/$stage"
          params={{ stackId: String(next.stack_id), stage: "shoot" }}
          className="ml-auto inline-flex min-h-11 items-center underline underline-offset-3"
        >
          {next.state === "shooting" ? "Being shot" : `Next, ${clock(next.begins_at)}`}:{" "}
          {next.catalogue_number} {next.name}
          {next.changes && `, change to ${next.rig_name}`}
        </Link>
      )}
    </section>
  );
}
