import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { api } from "../../client/api";
import { digits, duration, plural } from "../../lib/numbers";
import { useStack } from "../../specimen/stack";
import { count, TileMap } from "../../specimen/TileMap";

/** A whole is shot tile by tile: where each lies, how far each is, and the way to the one that is next. */
export default function WholeShoot() {
  const stack = useStack();
  const bench = useQuery({ queryKey: ["bench"], queryFn: api.bench });
  const { tiles } = stack;
  if (!tiles) return null;
  const [right, down] = tiles.step_um as unknown as [number, number];
  const [wide, high] = tiles.covers_um as unknown as [number, number];
  const open = tiles.tiles.find((one) => one.state === "planned");
  const unmerged = tiles.tiles.find((one) => one.state === "shot");
  const shooting = tiles.tiles.find((one) => one.stack_id === bench.data?.run?.stack_id);
  const left = count(tiles, "planned");
  const mm = (um: number) => digits(um / 1000, 3);
  return (
    <div className="h-full overflow-y-auto p-6">
      <h2 className="text-[1.25rem]">
        {tiles.columns} × {tiles.rows} tiles, laid together in this stack
      </h2>
      <p className="mt-1 max-w-2xl text-ink2">
        Each tile is a stack of its own with the same ladder. The field goes {mm(right)} mm right and{" "}
        {mm(down)} mm down from one to the next, {tiles.order === "snake" ? "to and fro" : "row by row"}.
        Together they cover {mm(wide)} × {mm(high)} mm.
      </p>
      <div className="mt-4 grid max-w-5xl grid-cols-[minmax(0,420px)_minmax(0,1fr)] gap-8 small:block">
        <TileMap tiles={tiles} stage="shoot" width={420} />
        <div className="space-y-3">
          {shooting ? (
            <p role="status">
              Tile {shooting.number} is being shot.{" "}
              <Link
                to="/stacks/$stackId/$stage"
                params={{ stackId: String(shooting.stack_id), stage: "shoot" }}
                search={{}}
                className="underline"
              >
                Look at it
              </Link>
            </p>
          ) : open ? (
            <>
              <Next stackId={open.stack_id} stage="shoot">
                Shoot tile {open.number}
              </Next>
              <p className="text-ink2">
                {plural(left, "tile")} left, about {duration(left * stack.ladder.seconds)} without moving the
                stage. Where a stage moves the specimen, they can be shot one after another: say so in the
                list before the run.
              </p>
            </>
          ) : (
            <>
              <p>All tiles are shot.</p>
              {unmerged ? (
                <Next stackId={unmerged.stack_id} stage="merge">
                  Merge tile {unmerged.number}
                </Next>
              ) : (
                <Next stackId={stack.id} stage="merge">
                  Lay them together
                </Next>
              )}
            </>
          )}
          <table className="w-full text-[0.9375rem]">
            <caption className="sr-only">Where each tile lies</caption>
            <thead>
              <tr className="border-ink border-b text-left text-[0.875rem] text-ink2">
                <th>Tile</th>
                <th>Stack</th>
                <th className="text-right">Right of tile 1, mm</th>
                <th className="text-right">Down, mm</th>
                <th className="pl-4">Is</th>
              </tr>
            </thead>
            <tbody>
              {tiles.tiles.map((one) => (
                <tr key={one.number} className="border-rule border-b tabular-nums">
                  <th scope="row" className="py-1 text-left font-[450]">
                    {one.number}
                  </th>
                  <td>{one.stack_number}</td>
                  <td className="text-right">{(one.x_um / 1000).toFixed(3)}</td>
                  <td className="text-right">{(one.y_um / 1000).toFixed(3)}</td>
                  <td className="pl-4">
                    {one.state === "planned" ? "not shot" : one.state}
                    {one.mended && ", mended"}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      </div>
    </div>
  );
}

function Next({ stackId, stage, children }: { stackId: number; stage: string; children: React.ReactNode }) {
  return (
    <Link
      to="/stacks/$stackId/$stage"
      params={{ stackId: String(stackId), stage }}
      search={{}}
      className="head inline-flex min-h-11 items-center rounded-s border border-amber bg-amber-fill px-4 text-on-amber"
    >
      {children}
    </Link>
  );
}
