import type { Told } from "../../client/api";
import { um } from "../../lib/numbers";

const HEIGHT = 132;
const WIDTH = 760;
const PAD = { left: 46, right: 12, top: 10, bottom: 22 };

/** Depth along the line that is being measured, length and depth at the same scale. */
export function Section({ told, name }: { told: Told | undefined; name: string }) {
  const along = told?.along_um ?? [];
  const depth = told?.depth_um ?? [];
  const known = depth.filter((one): one is number => one !== null);
  const length = along.at(-1) ?? 0;
  if (!known.length || length <= 0)
    return (
      <p className="min-h-[166px] border-ink border-t bg-card px-4 py-2 text-[0.875rem] text-ink2">
        {told
          ? "No depth is known along this line: there is no section."
          : "The section along a line shows here once two places are picked."}
      </p>
    );
  const [near, far] = [Math.min(...known), Math.max(...known)];
  const room = { x: WIDTH - PAD.left - PAD.right, y: HEIGHT - PAD.top - PAD.bottom };
  const scale = Math.min(room.x / length, room.y / Math.max(far - near, 1e-6));
  // A surface that is nearly flat: its line lies in the middle, at the scale of its length.
  const spare = (room.y - (far - near) * scale) / 2;
  const x = (at: number) => PAD.left + at * scale;
  const y = (at: number) => PAD.top + spare + (at - near) * scale;
  return (
    <figure className="min-h-[166px] border-ink border-t bg-card px-4 py-1">
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        role="img"
        aria-label={`Section along ${name}: ${um(length)} long, from ${um(near)} to ${um(far)} deep`}
        className="block h-[132px] w-full"
        preserveAspectRatio="xMinYMid meet"
      >
        <path d={area(along, depth, told?.u_um ?? [], x, y)} fill="var(--amber-wash)" stroke="none" />
        {[near, far].map((one, below) => (
          <g key={one}>
            <line
              x1={PAD.left}
              x2={x(length)}
              y1={y(one)}
              y2={y(one)}
              stroke="var(--rule)"
              strokeDasharray="3 3"
            />
            {(below === 1 || far - near > 14 / scale) && (
              <text x={PAD.left - 5} y={y(one) + 4} textAnchor="end" fontSize={11} fill="var(--ink2)">
                {Math.round(one)}
              </text>
            )}
          </g>
        ))}
        <path d={line(along, depth, x, y)} fill="none" stroke="var(--ink)" strokeWidth={1.6} />
        <text x={PAD.left} y={HEIGHT - 6} fontSize={11} fill="var(--ink2)">
          0
        </text>
        <text x={x(length)} y={HEIGHT - 6} textAnchor="end" fontSize={11} fill="var(--ink2)">
          {um(length)}
        </text>
      </svg>
      <figcaption className="text-[0.8125rem] text-ink2">
        Section along {name}, depth downwards in µm, length and depth at the same scale; shaded: ± 2 standard
        uncertainties.
      </figcaption>
    </figure>
  );
}

type To = (at: number) => number;

/** The line, broken where depth is unknown. */
function line(along: number[], depth: (number | null)[], x: To, y: To): string {
  let open = false;
  return along
    .map((at, i) => {
      const z = depth[i];
      if (z === null || z === undefined) {
        open = false;
        return "";
      }
      const to = `${open ? "L" : "M"}${x(at).toFixed(1)} ${y(z).toFixed(1)}`;
      open = true;
      return to;
    })
    .join("");
}

/** What lies within two standard uncertainties of it. */
function area(along: number[], depth: (number | null)[], u: (number | null)[], x: To, y: To): string {
  const runs: number[][] = [];
  depth.forEach((z, i) => {
    if (z === null || (u[i] ?? null) === null) return;
    const last = runs.at(-1);
    if (last && last.at(-1) === i - 1) last.push(i);
    else runs.push([i]);
  });
  const at = (i: number, side: number) =>
    `${x(along[i] ?? 0).toFixed(1)} ${y((depth[i] ?? 0) + side * 2 * (u[i] ?? 0)).toFixed(1)}`;
  return runs
    .map(
      (run) =>
        `M${run.map((i) => at(i, -1)).join("L")}L${[...run]
          .reverse()
          .map((i) => at(i, 1))
          .join("L")}Z`,
    )
    .join("");
}
