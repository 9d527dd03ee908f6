import { Link } from "@tanstack/react-router";
import type { TileLine, Tiles } from "../client/api";
import { digits } from "../lib/numbers";
import { Flyout } from "../ui/Flyout";
import { TileMap } from "./TileMap";

const mm = (um: number) => `${digits(um / 1000, 3)} mm`;

/** Which tile of a set this stack is, where it lies, and the way to the others. */
export function TileBar({ tiles, stage }: { tiles: Tiles; stage: string }) {
  const here = tiles.tiles.find((one) => one.number === tiles.number);
  if (!here) return null;
  const before = tiles.tiles.findLast((one) => one.number < here.number);
  const after = tiles.tiles.find((one) => one.number > here.number);
  return (
    <nav
      aria-label="Tiles"
      className="flex shrink-0 flex-wrap items-center gap-x-5 border-ink border-b bg-sheet px-4 text-[0.9375rem]"
    >
      <strong className="head">
        Tile {here.number} of {tiles.columns * tiles.rows}
      </strong>
      <span className="text-ink2">
        row {here.row + 1}, column {here.column + 1}
        {here.number > 1 && `: ${mm(here.x_um)} right, ${mm(here.y_um)} down of tile 1`}
      </span>
      <span className="ml-auto flex items-center gap-x-5">
        <Flyout
          align="end"
          className="p-3"
          label="Map of the tiles"
          trigger="Map"
          triggerClass="min-h-9 underline underline-offset-3"
        >
          <TileMap tiles={tiles} stage={stage} />
        </Flyout>
        {before && <Step line={before} stage={stage} words={`Tile ${before.number} before`} />}
        {after && <Step line={after} stage={stage} words={`Tile ${after.number} next`} />}
        {tiles.whole_id !== null && (
          <Link
            to="/stacks/$stackId/$stage"
            params={{ stackId: String(tiles.whole_id), stage: stage === "shoot" ? "shoot" : "merge" }}
            search={{}}
            className="inline-flex min-h-9 items-center underline underline-offset-3"
          >
            The whole
          </Link>
        )}
      </span>
    </nav>
  );
}

function Step({ line, stage, words }: { line: TileLine; stage: string; words: string }) {
  return (
    <Link
      to="/stacks/$stackId/$stage"
      params={{ stackId: String(line.stack_id), stage }}
      search={{}}
      className="inline-flex min-h-9 items-center underline underline-offset-3"
    >
      {words}
    </Link>
  );
}
