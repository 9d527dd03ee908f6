import type OpenSeadragon from "openseadragon";
import type { Mend } from "../../client/api";
import type { Tiles } from "./pixels";
import { blockKey, levels, UNTOUCHED } from "./steps";

function tilesOf(mend: Mend, url: Tiles["url"]): Tiles {
  const { width_px: width, height_px: height, tile_px: tile } = mend;
  return { url, tile, width, height, levels: levels(width, height, tile) };
}

/** The picture as it is mended now. */
export const mended = (mend: Mend): Tiles =>
  tilesOf(mend, (level, column, row) => {
    const key = blockKey(mend.tiles, level, column, row);
    return key === UNTOUCHED
      ? merged(mend).url(level, column, row)
      : `/api/mends/${mend.id}/tiles/${key}/${level}/${column}_${row}.jpg`;
  });

/** The merge as it was, or another of the same take. */
export const merged = (mend: Mend, merge = mend.merge_id): Tiles =>
  tilesOf(mend, (level, column, row) => `/api/merges/${merge}/plain/${level}/${column}_${row}.jpg`);

/** What lies over it: seams, or where tones are clipped. */
export const marked = (mend: Mend, what: "seams" | "clipped"): Tiles =>
  tilesOf(
    mend,
    (level, column, row) =>
      `/api/mends/${mend.id}/marks/${what}/${blockKey(mend.tiles, level, column, row)}/${level}/${column}_${row}.png`,
  );

/** A frame, laid on the merge. */
export const laid = (mend: Mend, frame: number): Tiles =>
  tilesOf(
    mend,
    (level, column, row) => `/api/merges/${mend.merge_id}/laid/${frame}/${level}/${column}_${row}.jpg`,
  );

/** The same, as deep zoom counts: its levels go up to the full size; coarser ones than `minLevel` are not asked for. */
export function asSource(of: Tiles, transparent = false, minLevel = 0) {
  return {
    width: of.width,
    height: of.height,
    tileSize: of.tile,
    tileOverlap: 0,
    minLevel,
    maxLevel: of.levels,
    getTileUrl: (level: number, column: number, row: number) => of.url(of.levels - level, column, row),
    hasTransparency: () => transparent,
  } as unknown as OpenSeadragon.TileSourceOptions;
}
