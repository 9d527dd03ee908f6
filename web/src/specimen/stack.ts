import { useNavigate } from "@tanstack/react-router";
import { createContext, useContext } from "react";
import type { Merge, Stack, Take } from "../client/api";

interface Shown {
  stack: Stack;
  /** The take that was chosen in the address, if any. */
  takeId: number | undefined;
}

export const StackContext = createContext<Shown | null>(null);

/** The stack whose stage is shown. */
export function useStack(): Stack {
  return useShown().stack;
}

/** The take that counts when none was chosen: the latest, but not one that merely waits for files. */
export const latestTake = (stack: Stack): Take | undefined =>
  stack.takes.findLast((one) => one.source !== "files" || one.complete) ?? stack.takes.at(-1);

/** The take that the stages work with, the chosen one or the latest; and choosing another. */
export function useTake(): { take: Take | undefined; chosen: boolean; choose: (id?: number) => void } {
  const { stack, takeId } = useShown();
  const navigate = useNavigate();
  const found = stack.takes.find((one) => one.id === takeId);
  return {
    take: found ?? latestTake(stack),
    chosen: found !== undefined,
    choose: (id) => void navigate({ to: ".", search: id === undefined ? {} : { take: id }, replace: true }),
  };
}

function useShown(): Shown {
  const shown = useContext(StackContext);
  if (!shown) throw new Error("a stage is shown inside a stack only");
  return shown;
}

/** A merge whose results are here, with its take. */
export interface Finished {
  take: Take;
  merge: Merge;
}

/** All finished merges of a stack, oldest first. */
export function finishedMerges(stack: Stack): Finished[] {
  return stack.takes.flatMap((take) =>
    take.merges.filter((merge) => merge.report !== null).map((merge) => ({ take, merge })),
  );
}

/** The merge to show, of a chosen take or of all: the one that was picked, else the one that counts, else the newest. */
export function shownMerge(
  finished: Finished[],
  picked: number | null,
  takeId?: number,
): Finished | undefined {
  const own = takeId === undefined ? finished : finished.filter(({ take }) => take.id === takeId);
  return own.find(({ merge }) => merge.id === picked) ?? own.find(({ merge }) => merge.counts) ?? own.at(-1);
}
