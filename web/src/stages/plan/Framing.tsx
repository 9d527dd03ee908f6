import type { PlanPreview } from "../../client/api";
import { digits, percent, trimmed, um } from "../../lib/numbers";
import { Notice } from "../../ui/Notice";

const WIDTH = 420;

/** How loosely to compose, and what turning the specimen saves. */
export function Framing({ preview }: { preview: PlanPreview }) {
  const { framing, turns, ladder } = preview;
  const [width, height] = framing.field_mm as unknown as [number, number];
  const tall = (WIDTH * height) / Math.max(width, 1e-9);
  const inner = framing.inner_share;
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_250px] gap-6">
      <section aria-label="Loose framing">
        <h2 className="text-[1rem]">Compose within the inner frame</h2>
        <svg
          viewBox={`0 0 ${WIDTH} ${tall}`}
          className="mt-2 w-full bg-mat"
          role="img"
          aria-label={`Inner frame, ${percent(inner)} of the field`}
        >
          <rect
            x={(WIDTH * (1 - inner)) / 2}
            y={(tall * (1 - inner)) / 2}
            width={WIDTH * inner}
            height={tall * inner}
            fill="none"
            stroke="#7fd0d8"
            strokeWidth="2"
          />
          <text x={WIDTH / 2} y={tall / 2} textAnchor="middle" fontSize="15" fill="#dfe4df">
            {digits(width, 3)} × {digits(height, 3)} mm remain
          </text>
        </svg>
        <p className="mt-2 text-[0.875rem] text-ink2">
          The picture changes size by {trimmed(digits(100 * framing.growth, 2))} % over {um(ladder.travel_um)}{" "}
          of travel: {framing.formula}. Drift of 6 px on each side is allowed for (assumed).
        </p>
        {framing.assumed && <Notice kind="hint">{framing.assumed}.</Notice>}
      </section>
      <section aria-label="Turning the specimen">
        <h2 className="text-[1rem]">Turn it</h2>
        <p className="text-[0.875rem] text-ink2">
          If the depth is that of a slope across the field (assumed):
        </p>
        {turns.length === 0 ? (
          <p className="mt-1 text-[0.875rem]">It lies nearly level: turning saves nothing.</p>
        ) : (
          <table className="w-full text-[0.875rem]">
            <thead>
              <tr className="border-rule border-b text-right text-[0.875rem] text-ink2">
                <th className="py-1 text-left">Turned by</th>
                <th>Depth</th>
                <th>Saves</th>
              </tr>
            </thead>
            <tbody>
              {turns.map((turn) => (
                <tr key={turn.turned_deg} className="border-rule border-b text-right">
                  <th scope="row" className="py-1 text-left font-[450] font-text">
                    {turn.turned_deg}°
                  </th>
                  <td>{um(turn.depth_um)}</td>
                  <td>{turn.frames_saved} frames</td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
        <p className="mt-2 text-[0.875rem] text-ink2">Level with the sensor, it needs the fewest.</p>
      </section>
    </div>
  );
}
