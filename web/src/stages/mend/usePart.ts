import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Mend } from "../../client/api";
import { type Point, rounded } from "./steps";

/** A part that moved: its base and tip are clicked, then the frame that shows it best is looked for. */
export function usePart(mend: Mend) {
  const [base, setBase] = useState<Point | null>(null);
  const look = useMutation({
    mutationFn: ([from, to]: [Point, Point]) => api.proposePart(mend.merge_id, from, to),
  });
  return {
    base,
    busy: look.isPending,
    error: look.error,
    found: look.data ? { ...look.data, path: look.data.path as Point[] } : null,
    click: (at: Point) => {
      const [point] = rounded([at]) as [Point];
      if (base && !look.data) look.mutate([base, point]);
      else {
        look.reset();
        setBase(point);
      }
    },
    again: () => {
      look.reset();
      setBase(null);
    },
  };
}
