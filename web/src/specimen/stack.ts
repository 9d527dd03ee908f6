import { createContext, useContext } from "react";
import type { Merge, Stack, Take } from "../client/api";

export const StackContext = createContext<Stack | null>(null);

/** The stack whose stage is shown. */
export function useStack(): Stack {
  const stack = useContext(StackContext);
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
