import type { Box } from "./Viewer";

/** A box over a picture, in its own pixels: a place to look at, or dashed what is used of it. */
export function Outline({ box, dashed }: { box: Box; dashed?: boolean }) {
  return (
    <rect
      x={box.x}
      y={box.y}
      width={box.width}
      height={box.height}
      fill="none"
      stroke={dashed ? "var(--mark)" : "var(--fault)"}
      strokeWidth={dashed ? 1.5 : 2}
      strokeDasharray={dashed ? "6 4" : undefined}
      vectorEffect="non-scaling-stroke"
    />
  );
}
