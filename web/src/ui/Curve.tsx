interface Props {
  /** What it shows, for those who do not see it. */
  label: string;
  points: ReadonlyArray<readonly [number, number]>;
  x: Axis;
  y: Axis;
  /** A place on the curve that is worth a mark. */
  mark?: { x: number; y: number; words: string };
  /** A stretch of the horizontal axis, such as how long a ladder takes. */
  band?: { from: number; to: number; words: string };
}

interface Axis {
  words: string;
  most: number;
  say: (value: number) => string;
}

const WIDE = 420;
const TALL = 190;
const LEFT = 72;
const BOTTOM = 44;

/** A curve from nought, with its axes named. */
export function Curve({ label, points, x, y, mark, band }: Props) {
  const across = (value: number) => LEFT + (Math.min(value, x.most) / x.most) * (WIDE - LEFT - 12);
  const up = (value: number) => TALL - BOTTOM - (Math.min(value, y.most) / y.most) * (TALL - BOTTOM - 14);
  const halves = [0, 0.5, 1];
  return (
    <svg viewBox={`0 0 ${WIDE} ${TALL}`} role="img" aria-label={label} className="w-full max-w-[520px]">
      {band && (
        <>
          <rect
            x={across(band.from)}
            width={Math.max(across(band.to) - across(band.from), 2)}
            y={14}
            height={TALL - BOTTOM - 14}
            fill="var(--amber-fill)"
            opacity="0.3"
          />
          <text x={across(band.from) + 5} y={27} fontSize="16" fill="var(--ink)">
            {band.words}
          </text>
        </>
      )}
      {halves.map((share) => (
        <g key={share} fontSize="16" fill="var(--ink2)">
          <line
            x1={LEFT}
            x2={WIDE - 12}
            y1={up(share * y.most)}
            y2={up(share * y.most)}
            stroke="var(--rule)"
          />
          <text x={LEFT - 6} y={up(share * y.most) + 4} textAnchor="end">
            {y.say(share * y.most)}
          </text>
          <text
            x={across(share * x.most)}
            y={TALL - BOTTOM + 18}
            textAnchor={share === 0 ? "start" : share === 1 ? "end" : "middle"}
          >
            {x.say(share * x.most)}
          </text>
        </g>
      ))}
      <text x={WIDE - 12} y={TALL - 5} textAnchor="end" fontSize="16" fill="var(--ink2)">
        {x.words}
      </text>
      <text x={LEFT} y={TALL - 5} fontSize="16" fill="var(--ink2)">
        ↑ {y.words}
      </text>
      <polyline
        points={points
          .filter(([at]) => at <= x.most)
          .map(([at, value]) => `${across(at)},${up(value)}`)
          .join(" ")}
        fill="none"
        stroke="var(--amber)"
        strokeWidth="2.5"
      />
      {mark && (
        <g>
          <line
            x1={across(mark.x)}
            x2={across(mark.x)}
            y1={up(mark.y)}
            y2={TALL - BOTTOM}
            stroke="var(--mark)"
          />
          <circle cx={across(mark.x)} cy={up(mark.y)} r="4" fill="var(--mark)" />
          <text
            x={across(mark.x) + (across(mark.x) > WIDE * 0.6 ? -8 : 8)}
            y={Math.max(up(mark.y) + 18, 26)}
            textAnchor={across(mark.x) > WIDE * 0.6 ? "end" : "start"}
            fontSize="16"
            fill="var(--mark)"
          >
            {mark.words}
          </text>
        </g>
      )}
    </svg>
  );
}
