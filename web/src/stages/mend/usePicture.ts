import OpenSeadragon from "openseadragon";
import { useEffect, useRef, useState } from "react";
import type { Mend } from "../../client/api";
import type { Box } from "../../pictures/Viewer";
import { all, allLevels, type Item, items, levelSeen, removeOthers } from "./layers";
import type { Tiles, View } from "./pixels";
import { asSource, marked, mended, merged } from "./tiles";

export type Marks = "seams" | "clipped" | null;

export interface PictureProps {
  mend: Mend;
  marks: Marks;
  /** The merge as it was. */
  before: boolean;
  goTo: Box | null;
  /** The pixels of this revision are in the picture. */
  onShown: (revision: number) => void;
}

/** The mended picture in deep zoom: the merge below, the mended picture on it, marks on top. */
export function usePicture(props: PictureProps & { onView: (view: View) => void }) {
  const { mend, marks, before, goTo } = props;
  const box = useRef<HTMLDivElement>(null);
  const [viewer, setViewer] = useState<OpenSeadragon.Viewer | null>(null);
  const [loaded, setLoaded] = useState(false);
  const [failed, setFailed] = useState(false);
  const [zoom, setZoom] = useState<number | null>(null);
  const now = useRef(props);
  now.current = props;

  useEffect(() => {
    if (!box.current) return;
    const made = OpenSeadragon({
      element: box.current,
      drawer: "canvas",
      showNavigationControl: false,
      minZoomImageRatio: 0.8,
      maxZoomPixelRatio: 8,
      visibilityRatio: 0.4,
      animationTime: 0.2,
      mouseNavEnabled: false,
      keyboardNavEnabled: false,
      imageSmoothingEnabled: true,
      maxTilesPerFrame: 16,
      tileRetryMax: 5,
      tileRetryDelay: 1500,
    });
    const follow = () => {
      const item = made.world.getItemAt(0);
      if (!item) return;
      setZoom(item.viewportToImageZoom(made.viewport.getZoom(true)));
      const origin = item.imageToViewerElementCoordinates(new OpenSeadragon.Point(0, 0));
      const one = item.imageToViewerElementCoordinates(new OpenSeadragon.Point(1, 0));
      const size = made.viewport.getContainerSize();
      now.current.onView({
        x: origin.x,
        y: origin.y,
        scale: one.x - origin.x,
        width: size.x,
        height: size.y,
      });
    };
    made.addHandler("update-viewport", follow);
    made.addHandler("tile-load-failed", () => setFailed(true));
    setViewer(made);
    return () => made.destroy();
  }, []);

  /** What shall be shown of each kind: what was wanted before may still be on its way. */
  const wanted = useRef<Record<string, string>>({});
  // What is shown anew comes over what was there, and what was there goes only when the new is whole: nothing flickers.
  const shown = `${mend.id} ${mend.merge_id} ${mend.tiles.flat().join()}`;
  useEffect(() => {
    if (!viewer) return;
    const { mend } = now.current;
    const add = (called: string, source: Tiles, transparent: boolean, done: () => void) => {
      const kind = called.split(" ")[0] ?? "";
      wanted.current[kind] = called;
      const there = items(viewer, called)[0];
      if (there) {
        // Gone back to before what came over it was whole: that must not come any more.
        removeOthers(viewer, kind, there);
        if (there.getFullyLoaded()) done();
        return;
      }
      // Over what is whole already nothing coarse need be seen first: what a stroke touches is one tile then, not five.
      const over = all(viewer).find((one) => one.called?.startsWith(`${kind} `) && one.getFullyLoaded());
      const from = over ? levelSeen(viewer, over, source.levels) : 0;
      viewer.addTiledImage({
        tileSource: asSource(source, transparent, from),
        width: 1,
        success: (event) => {
          const item = (event as unknown as { item: Item }).item;
          item.called = called;
          if (wanted.current[kind] !== called) return viewer.world.removeItem(item);
          const whole = () => {
            if (!item.getFullyLoaded()) return;
            allLevels(item);
            if (wanted.current[kind] !== called) return;
            removeOthers(viewer, kind, item);
            done();
          };
          item.addHandler("fully-loaded-change", whole);
          whole();
        },
        error: () => setFailed(true),
      });
    };
    add(`merge ${mend.merge_id}`, merged(mend), false, () => undefined);
    add(`mended ${shown}`, mended(mend), false, () => {
      setLoaded(true);
      setFailed(false);
      now.current.onShown(mend.revision);
    });
  }, [viewer, shown]);
  useEffect(() => {
    if (viewer && items(viewer, `mended ${shown}`).some((one) => one.getFullyLoaded()))
      now.current.onShown(mend.revision);
  }, [viewer, mend.revision, shown]);

  useEffect(() => {
    if (!viewer) return;
    for (const item of all(viewer)) if (item.called?.startsWith("marks")) viewer.world.removeItem(item);
    if (!marks) return;
    viewer.addTiledImage({
      tileSource: asSource(marked(now.current.mend, marks), true),
      width: 1,
      success: (event) => {
        (event as unknown as { item: Item }).item.called = `marks ${shown}`;
      },
    });
  }, [viewer, marks, shown]);

  useEffect(() => {
    if (!viewer) return;
    for (const item of all(viewer)) if (item.called?.startsWith("mended")) item.setOpacity(before ? 0 : 1);
    viewer.forceRedraw();
  }, [viewer, before]);

  useEffect(() => {
    const item = viewer?.world.getItemAt(0);
    if (!viewer || !item || !goTo) return;
    const wanted = item.imageToViewportRectangle(goTo.x, goTo.y, goTo.width, goTo.height);
    viewer.viewport.zoomTo(item.imageToViewportZoom(1 / window.devicePixelRatio));
    viewer.viewport.panTo(wanted.getCenter());
  }, [viewer, goTo]);

  return { box, viewer, loaded, failed, zoom };
}
