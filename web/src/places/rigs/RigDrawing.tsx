import type { RigPreview } from "../../client/api";
import { digits, trimmed } from "../../lib/numbers";

const WIDTH = 560;
const HEIGHT = 188;
const AXIS = 78;
const LEFT = 14;
const RIGHT = 22;

type Drawn = RigPreview["drawing"]["parts"][number];

/** The rig along its axis, to scale, with the cone of light: a wrong entry shows at once. */
export function RigDrawing({ drawing }: { drawing: RigPreview["drawing"] }) {
  const scale = (WIDTH - LEFT - RIGHT) / drawing.length_mm;
  const x = (mm: number) => LEFT + mm * scale;
  const tall = Math.max(...drawing.parts.map((part) => part.height_mm)) / 2;
  // One scale both ways; parts too tall for the sheet are cut, which their label still tells.
  const half = (mm: number) => Math.min((mm / 2) * scale, AXIS - 14);
  const cone = drawing.cone as unknown as Array<[number, number]>;
  const edge = (side: 1 | -1) =>
    cone.map(([at, high]) => `${x(at)},${AXIS + side * Math.min(high * scale, AXIS - 14)}`);
  const [upper, lower] = [edge(-1), edge(1).reverse()];
  const said = drawing.parts.map((part) => `${part.label} at ${Math.round(part.at_mm)} mm`).join(", ");
  return (
    <figure className="mb-2">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="w-full border border-rule bg-card"
        role="img"
        aria-label={`Rig to scale: ${said}`}
      >
        <polygon points={[...upper, ...lower].join(" ")} fill="var(--amber-fill)" opacity="0.35" />
        <polyline points={upper.join(" ")} fill="none" stroke="var(--amber)" />
        <polyline points={[...lower].reverse().join(" ")} fill="none" stroke="var(--amber)" />
        <line
          x1={LEFT}
          x2={WIDTH - RIGHT}
          y1={AXIS}
          y2={AXIS}
          stroke="var(--ink3)"
          strokeDasharray="6 3 1 3"
        />
        {drawing.parts.map((part) => (
          <Shape
            key={`${part.kind} ${part.at_mm}`}
            part={part}
            x={x(part.at_mm)}
            half={half(part.height_mm)}
            long={part.length_mm * scale}
          />
        ))}
        {drawing.parts.map((part, i) => {
          const at = x(part.at_mm);
          const end = at > WIDTH * 0.62;
          // Labels on the right end at their part: the nearer to the sensor, the higher, so that no leader crosses one.
          const y = HEIGHT - 12 - ((drawing.parts.length - 1 - i) % 3) * 15;
          return (
            <g key={`label ${part.kind} ${part.at_mm}`}>
              <line x1={at} x2={at} y1={AXIS + half(part.height_mm)} y2={y - 10} stroke="var(--rule)" />
              <text
                x={end ? at + 4 : at - 2}
                y={y}
                fontSize="12"
                fill="var(--ink)"
                textAnchor={end ? "end" : "start"}
              >
                {part.label}
              </text>
            </g>
          );
        })}
      </svg>
      <figcaption className="text-[0.875rem] text-ink2">
        {trimmed(digits(drawing.length_mm, 3))} mm from sensor to specimen, to scale
        {tall * scale > AXIS - 14 && " along the axis"}
        {drawing.assumed.length > 0 && `; assumed: ${drawing.assumed.join(", ")}`}.
      </figcaption>
    </figure>
  );
}

function Shape({ part, x, half, long }: { part: Drawn; x: number; half: number; long: number }) {
  const ink = { stroke: "var(--ink)", strokeWidth: 1.4, fill: "none" };
  const top = AXIS - half;
  switch (part.kind) {
    case "sensor":
      return <rect x={x - 5} y={top} width={5} height={2 * half} fill="var(--ink)" />;
    case "specimen":
      return <rect x={x} y={top} width={5} height={Math.max(2 * half, 4)} fill="var(--mark)" />;
    case "tube":
      return (
        <rect x={x} y={top} width={Math.max(long, 4)} height={2 * half} {...ink} strokeDasharray="4 3" />
      );
    case "iris":
      return (
        <g {...ink} strokeWidth={2.4}>
          <line x1={x} x2={x} y1={14} y2={top} />
          <line x1={x} x2={x} y1={AXIS + half} y2={2 * AXIS - 14} />
        </g>
      );
    case "objective": {
      const length = Math.max(long, 14);
      const narrow = half * 0.55;
      return (
        <path
          d={`M${x - length / 2} ${top}h${length * 0.55}l${length * 0.45} ${half - narrow}v${2 * narrow}l${-length * 0.45} ${half - narrow}h${-length * 0.55}z`}
          {...ink}
        />
      );
    }
    default: {
      const bulge = Math.max(half * 0.2, 4);
      return (
        <path
          d={`M${x} ${top}q${bulge} ${half} 0 ${2 * half}q${-bulge} ${-half} 0 ${-2 * half}z`}
          {...ink}
          fill="var(--sheet)"
          fillOpacity="0.5"
        />
      );
    }
  }
}
