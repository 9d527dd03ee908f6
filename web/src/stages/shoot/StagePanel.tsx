import { useState } from "react";
import { api, type Bench, type Tiles } from "../../client/api";
import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/Field";
import { Notice } from "../../ui/Notice";

interface Props {
  bench: Bench;
  tiles: Tiles | null;
  locked: boolean;
  act: (order: () => Promise<unknown>) => void;
}

const mm = (um = 0) => (um / 1000).toFixed(3).replace("-", "−");

/** Where the stage is, where this tile lies, and the way there; by hand, where to go. */
export function StagePanel({ bench, tiles, locked, act }: Props) {
  const [by, setBy] = useState<number | null>(500);
  const { stage } = bench;
  if (!stage) return null;
  const here = tiles?.tiles.find((one) => one.number === stage.tile);
  if (stage.by === "hand")
    return here ? (
      <section aria-label="Stage" className="border-rule border-t pt-2">
        <h2 className="head text-[1rem]">Stage, by hand</h2>
        <p className="tabular-nums">
          {here.number === 1
            ? "Tile 1: bring its place under the lens. All others are placed from it."
            : `Tile ${here.number}: ${mm(here.x_um)} mm right, ${mm(here.y_um)} mm down of tile 1.`}
        </p>
      </section>
    ) : null;
  const go = (right: number, down: number) => () =>
    act(() => api.moveStage({ by_um: [right * (by ?? 0), down * (by ?? 0)] }));
  const stuck = locked || stage.trouble !== null;
  return (
    <section aria-label="Stage" className="border-rule border-t pt-2">
      <div className="flex items-baseline justify-between gap-2">
        <h2 className="head text-[1rem]">Stage</h2>
        {stage.at_um && (
          <span className="tabular-nums">
            {mm(stage.at_um[0])} → {mm(stage.at_um[1])} ↓ mm
          </span>
        )}
      </div>
      {stage.trouble && <Notice kind="fault">{stage.trouble}</Notice>}
      {here && stage.off_um !== null && (
        <p className={stage.on_tile ? "" : "text-fault"}>
          {stage.on_tile
            ? `On tile ${here.number}, ${stage.off_um.toFixed(0)} µm from its place.`
            : `${mm(stage.off_um)} mm away from tile ${here.number}.`}
        </p>
      )}
      {here && stage.target_um === null && (
        <p className="text-fault">Nobody said yet where the tiles lie. Drive there, then say so:</p>
      )}
      {here && stage.target_um !== null && !stage.on_tile && (
        <Button className="w-full" disabled={stuck} onClick={() => act(() => api.moveStage({}))}>
          Go to tile {here.number}
        </Button>
      )}
      <NumberField label="Move the stage by" unit="µm" value={by} onChange={setBy} />
      <div className="mt-1 grid grid-cols-4 gap-1">
        <Button disabled={stuck || !by} onClick={go(-1, 0)}>
          Left
        </Button>
        <Button disabled={stuck || !by} onClick={go(1, 0)}>
          Right
        </Button>
        <Button disabled={stuck || !by} onClick={go(0, -1)}>
          Up
        </Button>
        <Button disabled={stuck || !by} onClick={go(0, 1)}>
          Down
        </Button>
      </div>
      {here && (
        <div className="mt-1 grid grid-cols-2 gap-1">
          <Button disabled={stuck} onClick={() => act(() => api.stageIsHere("tile"))}>
            Tile {here.number} is here
          </Button>
          <Button disabled={stuck} onClick={() => act(() => api.stageIsHere("middle"))}>
            The middle is here
          </Button>
        </div>
      )}
      <p className="mt-1 text-[0.9375rem] text-ink2">
        Before the stage moves, the focus goes to the near side. Watch that nothing touches the lens.
      </p>
    </section>
  );
}
