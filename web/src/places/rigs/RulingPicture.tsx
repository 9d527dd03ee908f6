import { useRef } from "react";
import type { ScalePicture } from "../../client/api";

/** x and y of two points, in px of the picture. */
export type Points = [number, number, number, number];

interface Props {
  found: ScalePicture;
  points: Points | null;
  onPoints: (points: Points) => void;
}

/** The picture with the found lines drawn over it, or with two points that can be moved. */
export function RulingPicture({ found, points, onPoints }: Props) {
  const box = useRef<SVGSVGElement>(null);
  const { width_px: width, height_px: height, picture, ruling } = found;
  const unit = width / 900; // what is one px on the screen

  const move = (which: 0 | 1, event: React.PointerEvent) => {
    if (event.buttons !== 1 || !box.current || !points) return;
    const bounds = box.current.getBoundingClientRect();
    const x = ((event.clientX - bounds.left) / bounds.width) * width;
    const y = ((event.clientY - bounds.top) / bounds.height) * height;
    onPoints(
      points.map((one, i) => (i === 2 * which ? x : i === 2 * which + 1 ? y : one)) as unknown as Points,
    );
  };
  const nudge = (which: 0 | 1, event: React.KeyboardEvent) => {
    const step = event.shiftKey ? 10 : 1;
    const shift = { ArrowLeft: [-step, 0], ArrowRight: [step, 0], ArrowUp: [0, -step], ArrowDown: [0, step] }[
      event.key
    ];
    if (!shift || !points) return;
    event.preventDefault();
    onPoints(
      points.map((one, i) => (i >> 1 === which ? one + (shift[i & 1] ?? 0) : one)) as unknown as Points,
    );
  };

  return (
    <div className="bg-mat">
      <svg
        ref={box}
        viewBox={`0 0 ${width} ${height}`}
        className="mx-auto block max-h-[420px] w-full touch-none"
        aria-label="Picture of the ruling"
      >
        <image
          href={`/api/calibration-pictures/${picture.sha256}${picture.suffix}`}
          width={width}
          height={height}
        />
        {ruling && !points && <Lines ruling={ruling} width={width} height={height} unit={unit} />}
        {points && (
          <>
            <line
              x1={points[0]}
              y1={points[1]}
              x2={points[2]}
              y2={points[3]}
              stroke="#f2b43c"
              strokeWidth={2 * unit}
            />
            {([0, 1] as const).map((which) => (
              <circle
                key={which}
                role="slider"
                tabIndex={0}
                aria-label={
                  which === 0 ? "First point: arrow keys move it" : "Second point: arrow keys move it"
                }
                aria-valuenow={Math.round(points[2 * which] ?? 0)}
                aria-valuetext={`${Math.round(points[2 * which] ?? 0)}, ${Math.round(points[2 * which + 1] ?? 0)} px`}
                cx={points[2 * which]}
                cy={points[2 * which + 1]}
                r={11 * unit}
                fill="#f2b43c"
                fillOpacity={0.35}
                stroke="#f2b43c"
                strokeWidth={2 * unit}
                className="cursor-move"
                onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
                onPointerMove={(event) => move(which, event)}
                onKeyDown={(event) => nudge(which, event)}
              />
            ))}
          </>
        )}
      </svg>
    </div>
  );
}

interface LinesProps {
  ruling: NonNullable<ScalePicture["ruling"]>;
  width: number;
  height: number;
  unit: number;
}

/** The found lines: every fifth of them over the whole picture, so that a wrong pitch drifts off visibly. */
function Lines({ ruling, width, height, unit }: LinesProps) {
  const turn = (ruling.angle_deg * Math.PI) / 180;
  const [c, s] = [Math.cos(turn), Math.sin(turn)];
  const [x0, y0] = ruling.origin_px as unknown as [number, number];
  const reach = Math.hypot(width, height);
  const most = Math.floor(Math.min(ruling.lines, 200) / 2);
  const numbers = Array.from({ length: 2 * most + 1 }, (_, i) => i - most);
  const thin = ruling.pitch_px < 14 * unit;
  return (
    <g stroke="#f2b43c" strokeWidth={1.4 * unit}>
      {numbers
        .filter((k) => !thin || k % 5 === 0)
        .map((k) => {
          const [x, y] = [x0 + k * ruling.pitch_px * c, y0 + k * ruling.pitch_px * s];
          return (
            <line
              key={k}
              x1={x - reach * s}
              y1={y + reach * c}
              x2={x + reach * s}
              y2={y - reach * c}
              opacity={k % 5 === 0 ? 0.95 : 0.5}
            />
          );
        })}
    </g>
  );
}
