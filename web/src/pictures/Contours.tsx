import { useQuery } from "@tanstack/react-query";
import { api } from "../client/api";
import { keptOfSame } from "../lib/kept";

/** Lines of equal depth, in the pictures' own pixels: every fifth is stronger. */
export function Contours({ mergeId, every }: { mergeId: number; every?: number }) {
  const found = useContours(mergeId, true, every);
  const step = found.data?.step ?? 1;
  return found.data?.lines.map(({ depth, points }) => (
    <g key={`${depth} ${points[0]} ${points[1]} ${points.length}`} fill="none" strokeLinejoin="round">
      {["#111111", "#ffffff"].map((colour, above) => (
        <polyline
          key={colour}
          points={points.join(" ")}
          stroke={colour}
          strokeOpacity={above ? 0.95 : 0.5}
          strokeWidth={(Math.round(depth / step) % 5 === 0 ? 1.8 : 0.9) + (above ? 0 : 1.4)}
          vectorEffect="non-scaling-stroke"
        />
      ))}
    </g>
  ));
}

/** Lines of equal depth, one every so many of the depth's unit, else about ten of them. */
export function useContours(mergeId: number, wanted: boolean, every?: number) {
  const key = ["contours", mergeId, every];
  return useQuery({
    queryKey: key,
    queryFn: () => api.contours(mergeId, every),
    enabled: wanted,
    placeholderData: keptOfSame(key, 2),
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
  });
}
