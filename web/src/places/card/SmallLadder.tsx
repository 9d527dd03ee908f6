import { memo } from "react";
import type { CardStack } from "../../client/api";

const WIDTH = 76;
const HEIGHT = 118;
const RAIL = 9;
const LEAST_PX = 3;

/** A stack of a card as a small ladder: nearest on top where that is known, what is left out hangs outside, holes in red. */
export const SmallLadder = memo(function SmallLadder({ stack }: { stack: CardStack }) {
  const files = stack.order === "far-first" ? [...stack.files].reverse() : stack.files;
  const left = new Set(stack.left_out.map((one) => one.file));
  const holes = new Map(
    stack.holes.map((one) => [stack.order === "far-first" ? one.after : one.before, one.missing]),
  );
  const kept = files.filter((file) => !left.has(file));
  const places: Array<{ file: number; at: number; hole: number }> = [];
  let at = 0;
  for (const file of files) {
    const missing = holes.get(file) ?? 0;
    at += missing;
    places.push({ file, at, hole: missing });
    at += 1;
  }
  const step = (HEIGHT - 12) / Math.max(at - 1, 1);
  const y = (place: number) => 6 + place * step;
  // Where rungs would run into each other, every second or third stands for its neighbours.
  const every = Math.max(1, Math.ceil(LEAST_PX / step));
  const open = stack.order === "far-first" ? [...stack.passed].reverse() : stack.passed;
  const top = kept[0] === undefined ? 6 : y(places.find((one) => one.file === kept[0])?.at ?? 0);
  const bottom =
    kept.length === 0 ? HEIGHT - 6 : y(places.findLast((one) => one.file === kept[kept.length - 1])?.at ?? 0);
  return (
    <svg
      width={WIDTH}
      height={HEIGHT}
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="img"
      aria-label={`${kept.length} of ${files.length} rungs${stack.holes.length > 0 ? ", with a hole" : ""}`}
      className="shrink-0"
    >
      <rect
        x={RAIL + 2}
        width={WIDTH - 2 * RAIL - 4}
        y={top - 2}
        height={Math.max(bottom - top + 4, 1)}
        fill="var(--amber-fill)"
        opacity="0.3"
      />
      {places.map(({ file, at: place, hole }, index) => (
        <g key={file}>
          {hole > 0 && (
            <rect
              x={RAIL + 3}
              width={WIDTH - 2 * RAIL - 6}
              y={y(place - hole) + 1 - step / 2}
              height={Math.max(hole * step, 6)}
              fill="var(--fault-wash)"
              stroke="var(--fault)"
            />
          )}
          {left.has(file) ? (
            <line
              x1={WIDTH - RAIL + 2}
              x2={WIDTH - 1}
              y1={y(place)}
              y2={y(place)}
              stroke="var(--fault)"
              strokeWidth="1"
              strokeDasharray="2 2"
            />
          ) : (
            index % every === 0 && (
              <line
                x1={RAIL}
                x2={WIDTH - RAIL}
                y1={y(place)}
                y2={y(place)}
                stroke="var(--amber)"
                strokeWidth="1"
              />
            )
          )}
        </g>
      ))}
      {[RAIL, WIDTH - RAIL].map((x) => (
        <g key={x} stroke="var(--ink)" strokeWidth="2">
          <line x1={x} x2={x} y1={3} y2={HEIGHT - 3} />
          {open.map(
            (passed, end) =>
              passed === false && (
                <line
                  key={end === 0 ? "near" : "far"}
                  x1={x}
                  x2={x}
                  y1={end === 0 ? 0 : HEIGHT - 12}
                  y2={end === 0 ? 12 : HEIGHT}
                  stroke="var(--fault)"
                  strokeDasharray="3 3"
                  strokeWidth="3"
                />
              ),
          )}
        </g>
      ))}
    </svg>
  );
});
