import { digits, plural, trimmed } from "../../lib/numbers";
import type { RampResult } from "./results";

const WIDTH = 520;
const HEIGHT = 96;
const PAD = 34;

/** How far each frame's sharp band lies from the fitted line, in µm: what the calibration can be trusted with. */
export function ResidualPlot({ result }: { result: RampResult }) {
  const { residuals_um, bands, residual_um, without_band } = result;
  const most = Math.max(...residuals_um.map(Math.abs), 1e-6);
  const x = (i: number) => PAD + ((i + 0.5) / residuals_um.length) * (WIDTH - PAD - 8);
  const y = (um: number) => HEIGHT / 2 - (um / most) * (HEIGHT / 2 - 10);
  return (
    <figure>
      <svg
        viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
        className="mt-1 w-full border border-rule bg-card"
        role="img"
        aria-label={`Residuals of ${bands.length} bands, ${digits(residual_um, 2)} µm typically`}
      >
        <line x1={PAD} x2={WIDTH - 8} y1={HEIGHT / 2} y2={HEIGHT / 2} stroke="var(--ink2)" />
        {[most, -most].map((at) => (
          <text key={at} x={PAD - 4} y={y(at) + 4} fontSize="11" textAnchor="end" fill="var(--ink2)">
            {trimmed(digits(at, 2))}
          </text>
        ))}
        <text x={PAD - 4} y={HEIGHT / 2 + 4} fontSize="11" textAnchor="end" fill="var(--ink2)">
          0 µm
        </text>
        {residuals_um.map((um, i) => (
          <g key={bands[i]?.file ?? i}>
            <line x1={x(i)} x2={x(i)} y1={HEIGHT / 2} y2={y(um)} stroke="var(--mark)" />
            <circle cx={x(i)} cy={y(um)} r={2.6} fill="var(--mark)">
              <title>{`${bands[i]?.file}: ${digits(um, 2)} µm`}</title>
            </circle>
          </g>
        ))}
      </svg>
      <figcaption className="text-[0.875rem] text-ink2">
        {plural(bands.length, "band")} about a {result.bend_um_per_frame2 ? "curve" : "line"} of{" "}
        {digits(result.um_per_frame, 4)} µm per frame, {digits(residual_um, 2)} µm typically;{" "}
        {without_band.length > 0 && `${plural(without_band.length, "frame")} without a whole band; `}
        scale {result.scale_from}.
      </figcaption>
    </figure>
  );
}
