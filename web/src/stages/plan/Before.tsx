import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { api, type Schemas } from "../../client/api";
import { duration, percent, plural, trimmed, um } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Notice } from "../../ui/Notice";
import type { Proposed } from "./draft";

export type ProposedFrom = Schemas["ProposedFrom"];
type Spread = Schemas["Spread"];

interface Props {
  kind: string;
  rig: string;
  magnification: number;
  near_um: number;
  /** How much deeper focus goes in the medium than the stage moves. */
  inMedium: number;
  onUse: (used: Proposed, from: ProposedFrom) => void;
}

/** What stacks of this kind on this rig needed, with their number and spread, and each of them one click away. */
export function Before({ kind, rig, magnification, near_um, inMedium, onUse }: Props) {
  const found = useQuery({
    queryKey: ["ledger", "before", kind, rig, magnification],
    queryFn: () => api.workedBefore(kind, rig, magnification),
    refetchInterval: ({ state }) => (state.data?.behind ? 600 : false),
  });
  if (found.isError) return <Notice kind="fault">{found.error.message}</Notice>;
  if (!found.data) return <p className="text-ink2">Looking …</p>;
  const { proposal, cases, behind } = found.data;
  const { depth_um: depth, step_um: step, overlap, idle, seconds, spare, lights } = proposal;
  // One more than was used: that nothing is sharp in it shows that the end was reached.
  const spareRungs = spare ? Math.ceil(spare.high) + 1 : null;
  const lit = lights.reduce((sum, one) => sum + one.n, 0);
  const four = (spread: Spread, written: (value: number) => string) =>
    `${written(spread.median)}, four of five between ${written(spread.low)} and ${written(spread.high)} (n ${spread.n})`;
  const facts = [
    depth && (["Depth that was needed", four(depth, (value) => um(value))] as const),
    step && (["Step where nothing was found wrong", four(step, (value) => um(value))] as const),
    overlap && (["Overlap where nothing was found wrong", four(overlap, percent)] as const),
    spare &&
      (["Spare rungs that carried, at an end", four(spare, (value) => trimmed(value.toFixed(1)))] as const),
    lit > 0 &&
      (["Light", `${lights.map((one) => `${one.words} in ${one.n}`).join(", ")} (n ${lit})`] as const),
    idle && (["Frames that gave less than 1 %", four(idle, percent)] as const),
    seconds && (["Shooting and merging", four(seconds, duration)] as const),
  ].filter((one) => one !== null && one !== undefined && one !== false);
  return (
    <div className="max-w-[640px]">
      {behind > 0 && (
        <p role="status" className="text-ink2">
          The ledger still counts {plural(behind, "stack")}: there may be more cases than these.
        </p>
      )}
      {proposal.too_few ? (
        <p>
          {cases.length === 0
            ? `No ${kind} was merged yet whose depth is known.`
            : `Too few of kind ${kind} on this rig, or on one like it, to propose anything. The nearest:`}
        </p>
      ) : (
        <>
          <p>
            From {plural(proposal.stacks.length, "stack")} of kind {kind},{" "}
            {proposal.basis === "same kind and rig" ? "on this rig" : "on rigs of like magnification"}:
          </p>
          <dl className="mt-1">
            {facts.map(([name, words]) => (
              <div key={name} className="flex justify-between gap-6 border-rule border-b py-1.5">
                <dt className="shrink-0 text-ink2">{name}</dt>
                <dd className="text-right">{words}</dd>
              </div>
            ))}
          </dl>
          {depth && (
            <div className="mt-3">
              <Button
                disabled={behind > 0}
                onClick={() =>
                  onUse(
                    {
                      far_um: Math.round(near_um + depth.high / inMedium),
                      overlap_percent: overlap ? Math.round(100 * overlap.median) : null,
                      spare_rungs: spareRungs,
                    },
                    { stacks: proposal.stacks, basis: proposal.basis },
                  )
                }
              >
                Use{" "}
                {[
                  um(depth.high),
                  overlap && `${percent(overlap.median)} overlap`,
                  spareRungs && plural(spareRungs, "spare rung"),
                ]
                  .filter(Boolean)
                  .join(", ")}
              </Button>
              <p className="mt-1 text-[0.875rem] text-ink2">
                The depth of which nine of ten had less
                {spareRungs && ", and one rung more than was used beyond it"}. The record says where it came
                from.
              </p>
            </div>
          )}
        </>
      )}
      <ul className="mt-3 columns-2" aria-label="Cases">
        {cases.map((one) => (
          <li key={one.stack_id}>
            <Link
              to="/stacks/$stackId/$stage"
              params={{ stackId: String(one.stack_id), stage: "record" }}
              className="inline-block min-h-6 underline underline-offset-3"
            >
              {one.catalogue_number}
            </Link>{" "}
            <span className="text-ink2">
              {one.name}, {um(one.depth_um)}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}
