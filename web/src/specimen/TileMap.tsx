import { Link } from "@tanstack/react-router";
import type { Tiles } from "../client/api";

const STATES = { planned: "not shot", shot: "shot", merged: "merged" } as const;
const LOOKS = {
  planned: "border-dashed bg-card",
  shot: "bg-amber-wash",
  merged: "bg-amber-fill text-on-amber",
} as const;

/** All tiles where they lie; each leads to its stack. The order of shooting is that of the numbers. */
export function TileMap({ tiles, stage, width = 260 }: { tiles: Tiles; stage: string; width?: number }) {
  const [wide, high] = tiles.covers_um as unknown as [number, number];
  const gone = tiles.gone.length > 0 ? ` Thrown away: tile ${tiles.gone.join(", ")}.` : "";
  return (
    <div>
      <div
        className="relative border border-rule"
        style={{ width, aspectRatio: `${wide} / ${high}`, maxWidth: "100%" }}
      >
        {tiles.tiles.map((one) => (
          <Link
            key={one.number}
            to="/stacks/$stackId/$stage"
            params={{ stackId: String(one.stack_id), stage }}
            search={{}}
            aria-current={one.number === tiles.number ? "true" : undefined}
            aria-label={`Tile ${one.number}, ${STATES[one.state]}`}
            className={`head absolute grid place-items-center border border-ink tabular-nums outline-offset-[-4px] aria-[current]:outline-3 aria-[current]:outline-mark ${LOOKS[one.state]}`}
            style={{
              left: `${(100 * one.column) / tiles.columns}%`,
              top: `${(100 * one.row) / tiles.rows}%`,
              width: `${100 / tiles.columns}%`,
              height: `${100 / tiles.rows}%`,
            }}
          >
            {one.number}
          </Link>
        ))}
      </div>
      <p className="mt-1 text-[0.875rem] text-ink2">
        {count(tiles, "merged")} of {tiles.tiles.length} merged, {count(tiles, "shot")} more shot,{" "}
        {count(tiles, "planned")} not shot.{gone}
      </p>
    </div>
  );
}

export const count = (tiles: Tiles, state: Tiles["tiles"][number]["state"]) =>
  tiles.tiles.filter((one) => one.state === state).length;
