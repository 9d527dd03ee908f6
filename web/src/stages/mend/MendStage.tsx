import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Stack } from "../../client/api";
import { Ladder } from "../../ladder/Ladder";
import { drawing } from "../../ladder/layout";
import { title } from "../../specimen/report";
import { type Finished, finishedMerges, shownMerge, useStack, useTake } from "../../specimen/stack";
import { Button } from "../../ui/Button";
import { Failures, Notice, Placeholder } from "../../ui/Notice";
import { Mending } from "./Mending";

/** From "nearly" to a picture that can be shown, with nothing hidden. */
export default function MendStage() {
  const stack = useStack();
  const { take, chosen } = useTake();
  const finished = finishedMerges(stack);
  const shown = shownMerge(finished, null, chosen ? take?.id : undefined);
  const [picked, setPicked] = useState<number | null>(null);
  const lines = shown?.take.mends ?? [];
  const line = lines.find((one) => one.id === picked) ?? lines.at(-1);
  if (!shown)
    return (
      <Placeholder>
        There is nothing to mend yet: a mend is laid on a finished merge.{" "}
        <Link
          to="/stacks/$stackId/$stage"
          params={{ stackId: String(stack.id), stage: "merge" }}
          search
          className="underline"
        >
          Merge first
        </Link>
        .
      </Placeholder>
    );
  if (!line)
    return (
      <div className="grid h-full grid-cols-[clamp(190px,20vw,264px)_minmax(0,1fr)] small:block small:h-auto">
        <Ladder
          drawing={drawing(stack.plan, stack.ladder, shown.take, shown.merge)}
          caption="share of picture"
        />
        <div className="overflow-y-auto p-6">
          <Begin stack={stack} shown={shown} onBegun={setPicked} />
        </div>
      </div>
    );
  return <OneMend key={line.id} mendId={line.id} stack={stack} finished={finished} onMend={setPicked} />;
}

interface BeginProps {
  stack: Stack;
  shown: Finished;
  onBegun: (id: number) => void;
}

function Begin({ stack, shown, onBegun }: BeginProps) {
  const queries = useQueryClient();
  const begin = useMutation({
    mutationFn: () => api.beginMend(shown.merge.id, ""),
    onSuccess: async (mend) => {
      // What it began to look up may be done before this answer came, so the mend itself is fetched.
      await queries.invalidateQueries({ queryKey: ["stack", stack.id] });
      onBegun(mend.id);
    },
  });
  return (
    <div className="max-w-xl space-y-4">
      <h2 className="text-[1.25rem]">
        Mend {title(shown.merge)} of take {shown.take.number}
      </h2>
      <p className="text-ink2">
        Look through the picture at 1 : 1, place by place, and paint the right frame over what the merge got
        wrong; take out dust, even the ground, set tones, crop. Originals and merge are never changed: a mend
        is a list of steps, and each can be taken back, to the beginning.
      </p>
      <Button look="next" disabled={begin.isPending} onClick={() => begin.mutate()}>
        Mend this merge
      </Button>
      <Failures of={[begin.error]} />
    </div>
  );
}

interface OneProps {
  mendId: number;
  stack: Stack;
  finished: Finished[];
  onMend: (id: number | null) => void;
}

function OneMend({ mendId, stack, finished, onMend }: OneProps) {
  const found = useQuery({ queryKey: ["mend", mendId], queryFn: () => api.mend(mendId) });
  if (found.isPending) return <Placeholder>Laying the frames out …</Placeholder>;
  if (!found.data)
    return (
      <Placeholder>
        <Notice kind="fault" title="This mend cannot be shown.">
          {found.error?.message}
        </Notice>
        <Button className="mt-3" onClick={() => void found.refetch()}>
          Try again
        </Button>
      </Placeholder>
    );
  const shown = finished.find(({ merge }) => merge.id === found.data.merge_id);
  if (!shown)
    return (
      <Placeholder>
        The merge of this mend was discarded: restore it, or begin a new mend on another merge.
      </Placeholder>
    );
  return <Mending mend={found.data} stack={stack} shown={shown} finished={finished} onMend={onMend} />;
}
