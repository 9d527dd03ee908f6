import { useQuery } from "@tanstack/react-query";
import { Link, Outlet } from "@tanstack/react-router";
import { createContext, useContext } from "react";
import { api, type Merge, type Specimen, type Stack, type Take } from "../client/api";
import { Button } from "../ui/Button";
import { InHeader } from "../ui/HeaderSlot";
import { Notice, Placeholder } from "../ui/Notice";

const STAGES = [
  { path: "plan", label: "Plan" },
  { path: "shoot", label: "Shoot" },
  { path: "merge", label: "Merge" },
  { path: "record", label: "Record" },
] as const;

const Context = createContext<Stack | null>(null);

/** The stack whose stage is shown. */
export function useStack(): Stack {
  const stack = useContext(Context);
  if (!stack) throw new Error("a stage is shown inside a stack only");
  return stack;
}

/** The take that the stages work with: the latest. */
export const latestTake = (stack: Stack): Take | undefined => stack.takes.at(-1);

/** All merges of a stack whose results are here, with their takes, oldest first. */
export function finishedMerges(stack: Stack): Array<{ take: Take; merge: Merge }> {
  return stack.takes.flatMap((take) =>
    take.merges.filter((merge) => merge.report !== null).map((merge) => ({ take, merge })),
  );
}

/** One stack: its label and stages in the header, the chosen stage below. */
export function StackPage({ stackId }: { stackId: number }) {
  const found = useQuery({ queryKey: ["stack", stackId], queryFn: () => api.stack(stackId) });
  if (found.isPending) return <Placeholder>Fetching the stack …</Placeholder>;
  if (found.isError && !found.data)
    return (
      <Placeholder>
        <Notice kind="fault" title="This stack cannot be shown.">
          {found.error.message}
        </Notice>
        <Button className="mt-3" onClick={() => void found.refetch()}>
          Try again
        </Button>
      </Placeholder>
    );
  const stack = found.data;
  return (
    <Context value={stack}>
      <InHeader>
        <Label specimen={stack.specimen} under={`stack ${stack.number} of ${stack.count}`} />
        <nav aria-label="Stages" className="flex items-stretch pl-2">
          {STAGES.map((stage) => (
            <Link
              key={stage.path}
              to={`/stacks/$stackId/${stage.path}`}
              params={{ stackId: String(stackId) }}
              className="head flex items-center border-transparent border-b-[5px] border-t-[5px] px-4 text-[15px] text-ink2 hover:text-ink data-[status=active]:border-b-amber-fill data-[status=active]:text-ink"
            >
              {stage.label}
            </Link>
          ))}
        </nav>
      </InHeader>
      <Outlet />
    </Context>
  );
}

/** A specimen's label in the header, as on a drawer card. */
export function Label({ specimen, under }: { specimen: Specimen; under: string }) {
  return (
    <div className="flex w-[270px] shrink-0 flex-col justify-center border-rule border-r px-4">
      <h1 className="truncate text-[15px] leading-tight">
        {specimen.catalogue_number} {specimen.name}
      </h1>
      <p className="truncate text-[13px] text-ink2">
        {specimen.kind}
        {specimen.mount && `, ${specimen.mount}`} · {under}
      </p>
    </div>
  );
}
