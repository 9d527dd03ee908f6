import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { Ladder } from "../../ladder/Ladder";
import { drawing } from "../../ladder/layout";
import { finishedMerges, shownMerge, useStack, useTake } from "../../specimen/stack";
import { Placeholder } from "../../ui/Notice";
import { Measuring } from "./Measuring";

/** Sizes on the merged picture, each with what makes it uncertain. */
export default function MeasureStage() {
  const stack = useStack();
  const { take, chosen } = useTake();
  const finished = finishedMerges(stack);
  const [picked, setPicked] = useState<number | null>(null);
  const shown = shownMerge(finished, picked, chosen ? take?.id : undefined);
  if (!shown)
    return (
      <div className="grid h-full grid-cols-[clamp(190px,20vw,264px)_minmax(0,1fr)] small:block small:h-auto">
        <Ladder drawing={drawing(stack.plan, stack.ladder, take)} caption={take ? "shot" : "planned"} />
        <Placeholder>
          There is nothing to measure on yet: sizes are taken on a finished merge.{" "}
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
      </div>
    );
  return (
    <Measuring
      key={shown.merge.id}
      shown={shown}
      finished={finished.filter(({ take }) => !chosen || take.id === shown.take.id)}
      onMerge={setPicked}
    />
  );
}
