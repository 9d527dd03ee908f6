import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Reference } from "../../client/api";
import { keptOfSame } from "../../lib/kept";
import type { Point } from "./kinds";

export type ReferenceKind = Reference["kind"];

/** What may give a picture its scale, and what is to be picked of it. */
export const REFERENCES: Record<
  ReferenceKind,
  { label: string; pick: string; size: string; least: number; most: number | null }
> = {
  two_points: {
    label: "Two points",
    pick: "Pick two places whose distance you know.",
    size: "Their true distance",
    least: 2,
    most: 2,
  },
  coin: {
    label: "A coin or disk",
    pick: "Pick three places or more beside its rim; it may lie aslant.",
    size: "Its diameter",
    least: 3,
    most: null,
  },
  ball: {
    label: "A ball",
    pick: "Pick three places or more beside its outline.",
    size: "Its diameter",
    least: 3,
    most: null,
  },
  ruling: {
    label: "A ruling",
    pick: "Pick two opposite corners of what shows lines only.",
    size: "From line to line",
    least: 2,
    most: 2,
  },
};
export const REFERENCE_ORDER = Object.keys(REFERENCES) as ReferenceKind[];

/** Something of known size in the picture: its places, its size, and the scale that it gives. */
export function useReference(mergeId: number) {
  const queries = useQueryClient();
  const [kind, setKind] = useState<ReferenceKind>("two_points");
  const [points, setPoints] = useState<Point[]>([]);
  const [chosen, setChosen] = useState<number | null>(null);
  const [size, setSize] = useState<number | null>(null);
  const [tolerance, setTolerance] = useState<number | null>(null);
  const { least, most } = REFERENCES[kind];
  const entry: Reference | null =
    points.length >= least && size !== null && size > 0
      ? { kind, points, size_um: size, tolerance_percent: tolerance }
      : null;
  const foundKey = ["reference", mergeId, kind, entry];
  const found = useQuery({
    queryKey: foundKey,
    queryFn: () => api.tryReference(mergeId, entry as Reference),
    enabled: entry !== null,
    placeholderData: keptOfSame(foundKey, 3),
    retry: false,
    gcTime: 1000,
  });
  const done = (now: Awaited<ReturnType<typeof api.setReference>>) => {
    queries.setQueryData(["measuring", mergeId], now);
    for (const key of ["stack", "label", "measureSeries", "deeds"])
      void queries.invalidateQueries({ queryKey: [key] });
  };
  const use = useMutation({
    mutationFn: () => api.setReference(mergeId, entry as Reference),
    onSuccess: done,
  });
  const drop = useMutation({ mutationFn: () => api.dropReference(mergeId), onSuccess: done });
  const clear = () => {
    setPoints([]);
    setChosen(null);
  };
  return {
    kind,
    points,
    chosen,
    size,
    tolerance,
    found: entry === null ? null : found,
    use,
    drop,
    setSize,
    setTolerance,
    clear,
    choose: setChosen,
    begin: (next: ReferenceKind) => {
      setKind(next);
      clear();
    },
    pick: (at: Point) => {
      const next = (now: Point[]) => (most !== null && now.length >= most ? [at] : [...now, at]);
      setPoints(next);
      setChosen(next(points).length - 1);
    },
    move: (index: number, to: Point) => {
      setPoints((now) => now.map((one, i) => (i === index ? to : one)));
      setChosen(index);
    },
    dropPlace: () => {
      const gone = chosen ?? points.length - 1;
      setPoints(points.filter((_, i) => i !== gone));
      setChosen(points.length > 1 ? points.length - 2 : null);
    },
  };
}
