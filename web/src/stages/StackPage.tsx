import { useQuery } from "@tanstack/react-query";
import { Link, Outlet, useNavigate, useParams } from "@tanstack/react-router";
import { api } from "../client/api";
import type { CommandId } from "../lib/commands";
import { Label } from "../specimen/Label";
import { latestTake, StackContext } from "../specimen/stack";
import { TileBar } from "../specimen/TileBar";
import { Button } from "../ui/Button";
import { useCommands } from "../ui/commands";
import { InHeader } from "../ui/HeaderSlot";
import { Notice, Placeholder } from "../ui/Notice";

/** One stack: its label and stages in the header, the chosen stage below. */
export function StackPage({ stackId, takeId }: { stackId: number; takeId: number | undefined }) {
  const found = useQuery({ queryKey: ["stack", stackId], queryFn: () => api.stack(stackId) });
  const navigate = useNavigate();
  const { stage = "plan" } = useParams({ strict: false });
  const stages = found.data?.stages ?? [];
  useCommands(
    Object.fromEntries(
      stages.map((stage, i): [CommandId, () => void] => [
        `stage${i + 1}` as CommandId,
        () =>
          void navigate({
            to: "/stacks/$stackId/$stage",
            params: { stackId: String(stackId), stage: stage.key },
            search: true,
          }),
      ]),
    ),
  );
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
  const take = stack.takes.find((one) => one.id === takeId) ?? latestTake(stack);
  return (
    <StackContext value={{ stack, takeId }}>
      <InHeader>
        <Label
          specimen={stack.specimen}
          under={`stack ${stack.number} of ${stack.siblings.length}${stack.tiles ? (stack.tiles.number > 0 ? `, tile ${stack.tiles.number}` : ", the whole") : ""}${take ? `, take ${take.number} of ${stack.takes.length}` : ""}`}
          stacks={stack.siblings}
          stackId={stack.id}
          takeId={take?.id}
        />
        <nav aria-label="Stages" className="flex items-stretch pl-2">
          {stack.stages.map((stage) => (
            <Link
              key={stage.key}
              to="/stacks/$stackId/$stage"
              params={{ stackId: String(stackId), stage: stage.key }}
              search
              className="head flex min-h-11 items-center border-transparent border-b-[5px] border-t-[5px] px-[clamp(0.5rem,1vw,1rem)] text-[0.9375rem] text-ink2 hover:text-ink data-[status=active]:border-b-amber-fill data-[status=active]:text-ink"
            >
              {stage.label}
            </Link>
          ))}
        </nav>
      </InHeader>
      {stack.tiles && stack.tiles.number > 0 ? (
        <div className="flex h-full flex-col small:block small:h-auto">
          <TileBar tiles={stack.tiles} stage={stage} />
          <div className="min-h-0 flex-1">
            <Outlet />
          </div>
        </div>
      ) : (
        <Outlet />
      )}
    </StackContext>
  );
}
