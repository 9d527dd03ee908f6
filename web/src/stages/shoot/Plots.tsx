import { um } from "../../lib/numbers";

const WIDTH = 300;
const TALL = 74;

interface CurveProps {
  curve: ReadonlyArray<readonly [number, number]>;
  now: number | null;
  near: number;
  far: number;
}

/** Sharpness over the rail's travel, with the ends and where the rail is. */
export function SharpnessCurve({ curve, now, near, far }: CurveProps) {
  const spare = (far - near) * 0.25;
  const low = Math.min(near - spare, now ?? near);
  const high = Math.max(far + spare, now ?? far);
  const inside = curve.filter(([at]) => at >= low && at <= high);
  const top = Math.max(...inside.map(([, value]) => value), 1e-9);
  const x = (at: number) => ((at - low) / Math.max(high - low, 1e-9)) * WIDTH;
  const y = (value: number) => TALL - 2 - (value / top) * (TALL - 8);
  const last = inside.find(([at]) => now !== null && Math.abs(at - now) <= 2.5);
  const reading = last ? `, now ${Math.round((100 * last[1]) / top)} % of the best` : "";
  return (
    <figure className="min-w-0">
      <figcaption className="head truncate text-[0.9375rem] text-ink2">
        Sharpness as the rail moved{reading}
      </figcaption>
      <svg
        viewBox={`0 0 ${WIDTH} ${TALL}`}
        className="h-[74px] w-full"
        preserveAspectRatio="none"
        role="img"
        aria-label={
          now === null ? "Sharpness over the rail" : `Sharpness over the rail; the rail is at ${um(now)}`
        }
      >
        {[near, far].map((at) => (
          <line
            key={at}
            x1={x(at)}
            x2={x(at)}
            y1={0}
            y2={TALL}
            stroke="var(--mark)"
            strokeWidth="1.5"
            vectorEffect="non-scaling-stroke"
          />
        ))}
        <line
          x1="0"
          x2={WIDTH}
          y1={TALL - 1}
          y2={TALL - 1}
          stroke="var(--ink3)"
          vectorEffect="non-scaling-stroke"
        />
        <polyline
          points={inside.map(([at, value]) => `${x(at)},${y(value)}`).join(" ")}
          fill="none"
          stroke="var(--amber)"
          strokeWidth="2"
          vectorEffect="non-scaling-stroke"
        />
        {now !== null && (
          <line
            x1={x(now)}
            x2={x(now)}
            y1={last ? y(last[1]) : 4}
            y2={TALL - 1}
            stroke="var(--ink)"
            vectorEffect="non-scaling-stroke"
          />
        )}
      </svg>
    </figure>
  );
}

/** How many pixels have which brightness; the last bin is where frames clip. */
export function Histogram({ counts, title }: { counts: readonly number[]; title: string }) {
  // The square root lets the thin bright end be seen beside the bulk.
  const tall = counts.map((count) => Math.sqrt(count));
  const top = Math.max(...tall, 1e-9);
  const each = WIDTH / Math.max(counts.length, 1);
  const all = counts.reduce((sum, count) => sum + count, 0);
  const clipped = all > 0 ? (counts.at(-1) ?? 0) / all : 0;
  return (
    <figure className="min-w-0">
      <figcaption className="head truncate text-[0.9375rem] text-ink2">{title}</figcaption>
      <svg
        viewBox={`0 0 ${WIDTH} ${TALL}`}
        className="h-[74px] w-full"
        preserveAspectRatio="none"
        role="img"
        aria-label={`Histogram; ${(100 * clipped).toFixed(1)} % in the brightest bin`}
      >
        {tall.map((value, i) => (
          <rect
            // biome-ignore lint/suspicious/noArrayIndexKey: a bin is its place
            key={i}
            x={i * each + 0.3}
            width={each - 0.6}
            y={TALL - (value / top) * (TALL - 4)}
            height={(value / top) * (TALL - 4)}
            fill={i >= counts.length - 1 ? "var(--fault)" : "var(--ink2)"}
          />
        ))}
      </svg>
    </figure>
  );
}
