import { useQuery } from "@tanstack/react-query";
import { api, type DepthLegendView } from "../client/api";
import { keptOfSame } from "../lib/kept";
import { digits, percent, trimmed } from "../lib/numbers";

interface Props {
  legend: DepthLegendView;
  mergeId: number;
  /** The pixel under the pointer. */
  at: { x: number; y: number } | null;
}

const figure = (value: number, unit: string) => `${trimmed(value.toFixed(1))} ${unit}`;

/** What the colours of a depth picture mean, and the depth under the pointer. */
export function DepthLegend({ legend, mergeId, at }: Props) {
  const place = at ?? { x: 0, y: 0 };
  const hereKey = ["depth-at", mergeId, place.x, place.y];
  const here = useQuery({
    queryKey: hereKey,
    queryFn: () => api.depthAt(mergeId, place.x, place.y),
    enabled: at !== null,
    placeholderData: keptOfSame(hereKey, 2),
    gcTime: 1000,
  });
  const { near, far, unit } = legend;
  if (near === null || far === null) return <p>Depth is not known anywhere.</p>;
  const under =
    !at || !here.data
      ? "point at a place"
      : here.data.depth === null
        ? "not known here"
        : here.data.u === null
          ? `${figure(here.data.depth, unit)} here`
          : `${trimmed(here.data.depth.toFixed(1))} ± ${trimmed(digits(2 * here.data.u, 2))} ${unit} here`;
  return (
    <figure aria-label="Depth legend" className="w-56 text-[0.875rem]">
      <div
        className="h-3 border border-ink2"
        style={{ background: `linear-gradient(to right, ${legend.colours.join(", ")})` }}
      />
      <div className="flex justify-between">
        <span>{figure(near, unit)} near</span>
        <span>{figure(far, unit)} far</span>
      </div>
      <figcaption className="flex justify-between text-ink2">
        <span>known on {percent(legend.known_share)}</span>
        <strong className="text-ink">{under}</strong>
      </figcaption>
    </figure>
  );
}
