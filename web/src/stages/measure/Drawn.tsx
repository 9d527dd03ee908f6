import type { Measure } from "../../client/api";
import type { Point } from "./kinds";
import { stated } from "./kinds";

interface LineProps {
  points: Point[];
  closed: boolean;
  joined: boolean;
  lit: boolean;
}

/** A measure's places on the picture, in its own pixels. */
export function Line({ points, closed, joined, lit }: LineProps) {
  const shape = points.map((one) => one.join(",")).join(" ");
  const shared = { fill: "none", vectorEffect: "non-scaling-stroke", strokeLinejoin: "round" } as const;
  return (
    <>
      {joined &&
        ["#111111", lit ? "#ffd166" : "#dfe4df"].map((stroke, above) => {
          const look = { ...shared, stroke, strokeWidth: (lit ? 2 : 1.5) + (above ? 0 : 2) };
          return closed && points.length > 2 ? (
            <polygon key={stroke} points={shape} {...look} />
          ) : (
            <polyline key={stroke} points={shape} {...look} />
          );
        })}
      {points.map(([x, y], index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: places have no other name
        <Dot key={index} at={[x, y]} lit={lit} />
      ))}
    </>
  );
}

/** A place, as large on the screen whatever the zoom. */
function Dot({ at: [x, y], lit }: { at: Point; lit: boolean }) {
  const d = `M${x} ${y}h0`;
  return (
    <>
      <path d={d} stroke="#111111" strokeWidth={9} strokeLinecap="round" vectorEffect="non-scaling-stroke" />
      <path
        d={d}
        stroke={lit ? "#ffd166" : "#dfe4df"}
        strokeWidth={6}
        strokeLinecap="round"
        vectorEffect="non-scaling-stroke"
      />
    </>
  );
}

/** Rings about the chosen place. */
export function Ring({ at: [x, y], scale }: { at: Point; scale: number }) {
  return (
    <circle
      cx={x}
      cy={y}
      r={9 / scale}
      fill="none"
      stroke="white"
      strokeWidth={2}
      vectorEffect="non-scaling-stroke"
    />
  );
}

interface LabelProps {
  measure: Measure;
  scale: number;
}

/** A measure's name and value beside its last place. */
export function Label({ measure, scale }: LabelProps) {
  const [x, y] = (measure.picks[0]?.points.at(-1) ?? [0, 0]) as Point;
  const { value, expanded, unit } = measure.told;
  return (
    <text
      x={x + 9 / scale}
      y={y - 9 / scale}
      fontSize={13 / scale}
      fill="#ffd166"
      stroke="#111111"
      strokeWidth={3 / scale}
      paintOrder="stroke"
    >
      {measure.name}: {stated(value, expanded, unit)}
    </text>
  );
}
