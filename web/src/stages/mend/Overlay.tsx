import type { Mend, Place, Sharpest } from "../../client/api";
import type { Box } from "../../pictures/Viewer";
import type { Point, Tool } from "./steps";

interface OverlayProps {
  mend: Mend;
  place: Place | null;
  base: Point | null;
  path: Point[] | undefined;
  crop: Box | null;
  turn: number;
}

/** Outlines over the picture, in its own pixels. */
export function Overlay({ mend, place, base, path, crop, turn }: OverlayProps) {
  const shared = { fill: "none", vectorEffect: "non-scaling-stroke" } as const;
  return (
    <>
      {mend.places
        .filter((one) => one.state === "open")
        .map(({ key, x, y, width, height }) => (
          <rect
            key={key}
            {...{ x, y, width, height }}
            {...shared}
            stroke={key === place?.key ? "var(--amber-fill)" : "var(--fault)"}
            strokeWidth={key === place?.key ? 3 : 1.5}
          />
        ))}
      {base && <circle cx={base[0]} cy={base[1]} r={3} {...shared} stroke="#7fd0d8" strokeWidth={4} />}
      {path && (
        <polyline
          points={path.join(" ")}
          {...shared}
          stroke="#7fd0d8"
          strokeWidth={2}
          strokeDasharray="6 4"
        />
      )}
      {crop && (
        <rect
          {...crop}
          {...shared}
          stroke="white"
          strokeWidth={2}
          strokeDasharray="8 4"
          transform={`rotate(${turn} ${crop.x + crop.width / 2} ${crop.y + crop.height / 2})`}
        />
      )}
    </>
  );
}

interface HintsProps {
  tool: Tool;
  here: Sharpest[];
  rung: (file: string) => string;
}

/** What is sharpest here, and what keys do. */
export function Hints({ tool, here, rung }: HintsProps) {
  const [first, ...others] = here;
  return (
    <div className="rounded-s bg-card px-2.5 py-1 text-[0.875rem]">
      {tool === "paint" && first && (
        <p>
          <strong>Sharpest here: {rung(first.file)}</strong>, then{" "}
          {others.map((one) => rung(one.file).replace("rung ", "")).join(", ")} · <kbd>s</kbd> takes it
        </p>
      )}
      <p className="text-ink2">
        hold <kbd>f</kbd> the frame alone · <kbd>b</kbd> before · <kbd>v</kbd> seams of what was painted
      </p>
    </div>
  );
}
