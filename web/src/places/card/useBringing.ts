import { useQueryClient } from "@tanstack/react-query";
import { useSyncExternalStore } from "react";
import { bringIn, type Intake, intakeOf, subscribe } from "../../client/intake";
import type { Placed } from "../../client/upload";

/** How far the bringing in of a card has come in this window; undefined where none was begun here. */
export const useIntake = (cardId: number): Intake | undefined =>
  useSyncExternalStore(subscribe, () => intakeOf(cardId));

/** Begin to bring files into a card. */
export function useBringing(): (cardId: number, placed: Placed[]) => void {
  const queries = useQueryClient();
  return (cardId, placed) => {
    void bringIn(cardId, placed, () => {
      for (const key of ["card", "cards"]) void queries.invalidateQueries({ queryKey: [key] });
    });
  };
}

/** What a card is called that was not given a name: its folder, or the moment. */
export function nameFor(placed: Placed[]): string {
  const folders = new Set(placed.map(({ path }) => (path.includes("/") ? (path.split("/")[0] ?? "") : "")));
  const [only] = folders;
  if (folders.size === 1 && only) return only.slice(0, 120);
  return `Files of ${new Date().toLocaleString("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" })}`;
}
