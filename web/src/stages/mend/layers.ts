import type OpenSeadragon from "openseadragon";

/** One of the pictures that lie over each other; `called` is its kind, and what it shows. */
export type Item = OpenSeadragon.TiledImage & { called?: string };

export const all = (viewer: OpenSeadragon.Viewer): Item[] =>
  Array.from({ length: viewer.world.getItemCount() }, (_, i) => viewer.world.getItemAt(i) as Item);
export const items = (viewer: OpenSeadragon.Viewer, called: string) =>
  all(viewer).filter((one) => one.called === called);
/** Of a kind, one alone stays. */
export function removeOthers(viewer: OpenSeadragon.Viewer, kind: string, kept: Item) {
  for (const item of all(viewer))
    if (item !== kept && item.called?.startsWith(`${kind} `)) viewer.world.removeItem(item);
}
