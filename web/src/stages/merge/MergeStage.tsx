import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Stack, Take } from "../../client/api";
import { Ladder } from "../../ladder/Ladder";
import { drawing } from "../../ladder/layout";
import { plural } from "../../lib/numbers";
import { finishedMerges, shownMerge, useStack, useTake } from "../../specimen/stack";
import { TakeFrames } from "../../specimen/TakeFrames";
import { Placeholder } from "../../ui/Notice";
import { Compare } from "./Compare";
import { MergeControls } from "./MergeControls";

/** Merge the take, and judge what came of it at 1:1. */
export default function MergeStage() {
  const stack = useStack();
  const { take, chosen } = useTake();
  const finished = finishedMerges(stack);
  const [picked, setPicked] = useState<number | null>(null);
  const shown = shownMerge(finished, picked, chosen ? take?.id : undefined);
  if (!shown)
    return (
      <div className="grid h-full grid-cols-[clamp(190px,20vw,264px)_minmax(0,1fr)] small:block small:h-auto">
        <Ladder drawing={drawing(stack.plan, stack.ladder, take)} caption={take ? "shot" : "planned"} />
        <div className="overflow-y-auto p-6">
          <Start stack={stack} take={take} />
        </div>
      </div>
    );
  return (
    <Compare key={stack.id} stack={stack} take={take} shown={shown} finished={finished} onMerge={setPicked} />
  );
}

function Start({ stack, take }: { stack: Stack; take: Take | undefined }) {
  if (!take?.complete)
    return (
      <Placeholder>
        There is nothing to merge yet:{" "}
        {take
          ? `take ${take.number} is not complete, with ${plural(take.frames.length, "frame")} so far`
          : "this ladder has not been shot"}
        .{" "}
        <Link
          to="/stacks/$stackId/$stage"
          params={{ stackId: String(stack.id), stage: "shoot" }}
          search
          className="underline"
        >
          {take ? "See how far it is" : "Shoot it or bring frames"}
        </Link>
        .
      </Placeholder>
    );
  return (
    <div className="max-w-xl space-y-4">
      <h2 className="text-[1.25rem]">
        Merge {plural(take.series.used, "frame")} of take {take.number}
      </h2>
      <TakeFrames take={take} />
      <p className="text-ink2">
        Auto takes depth pick where the surface is steady and pyramid where it breaks off. Pyramid chooses per
        scale: best for bristles and overlaps, a little noisier. Depth pick takes each place from one frame:
        true tones, fails where hairs cross. Contrast blend averages by sharpness: calm and smooth, soft in
        the finest detail. Try more than one and compare at 1:1.
      </p>
      <MergeControls stack={stack} take={take} />
    </div>
  );
}
