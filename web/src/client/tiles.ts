import { answered } from "./answered";
import { client, type Schemas } from "./client";

/** Tiles: planning, placing and laying them. */
export const tiles = {
  tryTiles: (body: Schemas["TilesTrial"]) => answered(client.POST("/api/plan/tiles", { body })),
  saveTiles: (specimen_id: number, body: Schemas["TileSetEntry"]) =>
    answered(
      client.POST("/api/specimens/{specimen_id}/tile-sets", { params: { path: { specimen_id } }, body }),
    ),
  moveStage: (body: Schemas["StageEntry"]) => answered(client.POST("/api/bench/stage/move", { body })),
  stageIsHere: (of: "tile" | "middle") => answered(client.POST("/api/bench/stage/here", { body: { of } })),
  layTiles: (stack_id: number, mended: boolean) =>
    answered(client.POST("/api/stacks/{stack_id}/lay", { params: { path: { stack_id } }, body: { mended } })),
};
