import type OpenSeadragon from "openseadragon";

/** One of the pictures that lie over each other; `called` is its kind, and what it shows. */
export type Item = OpenSeadragon.TiledImage & { called?: string; savedCutOffLevel?: number };

export const all = (viewer: OpenSeadragon.Viewer): Item[] =>
  Array.from({ length: viewer.world.getItemCount() }, (_, i) => viewer.world.getItemAt(i) as Item);
export const items = (viewer: OpenSeadragon.Viewer, called: string) =>
  all(viewer).filter((one) => one.called === called);
/** Of a kind, one alone stays. */
export function removeOthers(viewer: OpenSeadragon.Viewer, kind: string, kept: Item) {
  for (const item of all(viewer))
    if (item !== kept && item.called?.startsWith(`${kind} `)) viewer.world.removeItem(item);
}

const LEAST_RATIO = 0.5; // px of the screen to one of a level, below which deep zoom takes the next coarser one

/** The level that is seen of a picture with so many. */
export function levelSeen(
  viewer: OpenSeadragon.Viewer,
  item: OpenSeadragon.TiledImage,
  levels: number,
): number {
  const ratio = item.viewportToImageZoom(viewer.viewport.getZoom());
  return Math.max(0, levels - Math.max(0, Math.ceil(Math.log2(LEAST_RATIO / ratio))));
}

/** From now on, coarser levels are there, too. */
export function allLevels(item: Item) {
  item.source.minLevel = 0;
  item.savedCutOffLevel = item.source.getClosestLevel();
}
