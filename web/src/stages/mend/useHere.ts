import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api, type Mend, type Sharpest } from "../../client/api";
import type { Point } from "./steps";

const REST_MS = 120;

/** The rungs that are sharpest where the pointer rests. */
export function useHere(mend: Mend, radius: number, wanted: boolean) {
  const [at, setAt] = useState<Point | null>(null);
  const wait = useRef<ReturnType<typeof setTimeout> | undefined>(undefined);
  useEffect(() => () => clearTimeout(wait.current), []);
  const known = mend.rack.spots !== null;
  const found = useQuery({
    queryKey: ["sharpest", mend.merge_id, at, radius],
    queryFn: () => api.sharpestHere(mend.merge_id, at?.[0] ?? 0, at?.[1] ?? 0, radius),
    enabled: wanted && known && at !== null,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
    placeholderData: keepPreviousData,
  });
  return {
    frames: (wanted && known && found.data ? found.data : []) as Sharpest[],
    /** Where the pointer is: it is asked about once it rests. Where it has left, what was known last stays. */
    point: (point: Point | null) => {
      clearTimeout(wait.current);
      if (point)
        wait.current = setTimeout(() => setAt([Math.round(point[0]), Math.round(point[1])]), REST_MS);
    },
  };
}
