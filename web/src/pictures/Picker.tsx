import OpenSeadragon from "openseadragon";
import { useEffect, useRef, useState } from "react";
import { pictureUrl } from "../client/api";
import { Button } from "../ui/Button";
import type { Box } from "./Viewer";

export type Point = [number, number];

interface Props {
  mergeId: number;
  /** The picture, or its depth in colours. */
  seen?: "composite" | "depth";
  /** What stands left in the row below. */
  choice?: React.ReactNode;
  /** Told the pixel under the pointer, or none. */
  onPoint?: (at: { x: number; y: number } | null) => void;
  /** The places that can be moved; the chosen one by its number. */
  points: Point[];
  chosen: number | null;
  /** SVG that lies on the picture, in its own pixels. */
  overlay: React.ReactNode;
  corner?: React.ReactNode;
  /** A box to bring to the middle. */
  goTo?: Box | null;
  onPick: (at: Point) => void;
  /** Whether a line is picked by dragging from one end to the other. */
  lines?: boolean;
  onChoose: (index: number | null) => void;
  onMove: (index: number, to: Point) => void;
  /** Px of the screen for one of the picture, when that changes. */
  onScale?: (scale: number) => void;
}

const HIT_PX = 12;
/** Farther than a hand slips in a click, px of the screen. */
const DRAG_PX = 8;
const ARROWS: Record<string, Point> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

/** A merged picture in deep zoom on which places are picked and moved, by mouse or by keys. */
export function Picker(props: Props) {
  const { mergeId, seen = "composite", overlay, corner, choice, goTo } = props;
  const box = useRef<HTMLDivElement>(null);
  const layer = useRef<SVGGElement>(null);
  const surface = useRef<HTMLDivElement>(null);
  const [viewer, setViewer] = useState<OpenSeadragon.Viewer | null>(null);
  const [loaded, setLoaded] = useState(false);
  const [failed, setFailed] = useState(false);
  const [zoom, setZoom] = useState<number | null>(null);
  const [cross, setCross] = useState<Point | null>(null);
  const view = useRef({ x: 0, y: 0, scale: 1 });
  const drag = useRef<{
    /** The place that is held; -1 for the far end of a line that is being dragged. */
    index: number | null;
    panning: boolean;
    moved: boolean;
    from: Point;
  } | null>(null);
  const space = useRef(false);
  const now = useRef(props);
  now.current = props;

  useEffect(() => {
    if (!box.current) return;
    const made = OpenSeadragon({
      element: box.current,
      drawer: "canvas",
      showNavigationControl: false,
      minZoomImageRatio: 0.8,
      maxZoomPixelRatio: 16,
      visibilityRatio: 0.4,
      animationTime: 0.2,
      mouseNavEnabled: false,
      keyboardNavEnabled: false,
    });
    made.addHandler("update-viewport", () => {
      const item = made.world.getItemAt(0);
      if (!item) return;
      setZoom(item.viewportToImageZoom(made.viewport.getZoom(true)));
      const origin = item.imageToViewerElementCoordinates(new OpenSeadragon.Point(0, 0));
      const one = item.imageToViewerElementCoordinates(new OpenSeadragon.Point(1, 0));
      const scale = one.x - origin.x;
      if (scale !== view.current.scale) now.current.onScale?.(scale);
      view.current = { x: origin.x, y: origin.y, scale };
      // The middle of a pixel is at whole numbers for who measures, at halves for who draws.
      layer.current?.setAttribute(
        "transform",
        `translate(${origin.x} ${origin.y}) scale(${scale}) translate(0.5 0.5)`,
      );
    });
    setViewer(made);
    return () => made.destroy();
  }, []);
  useEffect(() => {
    setLoaded(false);
    viewer?.addTiledImage({
      tileSource: pictureUrl(seen, mergeId, "picture.dzi"),
      index: 0,
      replace: viewer.world.getItemCount() > 0,
      success: (event) => {
        const { item } = event as unknown as { item: OpenSeadragon.TiledImage };
        const note = () => item.getFullyLoaded() && setLoaded(true);
        item.addHandler("fully-loaded-change", note);
        note();
      },
      error: () => setFailed(true),
    });
  }, [viewer, mergeId, seen]);
  useEffect(() => {
    const item = viewer?.world.getItemAt(0);
    if (!viewer || !item || !goTo) return;
    viewer.viewport.fitBounds(item.imageToViewportRectangle(goTo.x, goTo.y, goTo.width, goTo.height));
  }, [viewer, goTo]);

  const toPicture = (event: { clientX: number; clientY: number }): Point => {
    const bounds = box.current?.getBoundingClientRect();
    const { x, y, scale } = view.current;
    return [
      (event.clientX - (bounds?.left ?? 0) - x) / scale - 0.5,
      (event.clientY - (bounds?.top ?? 0) - y) / scale - 0.5,
    ];
  };
  const hit = (at: Point) => {
    const reach = HIT_PX / view.current.scale;
    const apart = now.current.points.map(([x, y]) => Math.hypot(x - at[0], y - at[1]));
    const nearest = apart.indexOf(Math.min(...apart));
    return nearest >= 0 && (apart[nearest] as number) <= reach ? nearest : null;
  };
  const down = (event: React.PointerEvent) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    const from = toPicture(event);
    const index = hit(from);
    drag.current = { index, panning: event.button === 1 || space.current, moved: false, from };
    if (index !== null) now.current.onChoose(index);
  };
  const move = (event: React.PointerEvent) => {
    if (now.current.onPoint) now.current.onPoint(inside(viewer, toPicture(event)));
    const held = drag.current;
    if (!held) return;
    if (Math.abs(event.movementX) + Math.abs(event.movementY) > 0) held.moved = true;
    if (held.panning)
      viewer?.viewport.panBy(
        viewer.viewport.deltaPointsFromPixels(new OpenSeadragon.Point(-event.movementX, -event.movementY)),
        true,
      );
    else if (held.index === null && now.current.lines) {
      const to = toPicture(event);
      if (Math.hypot(to[0] - held.from[0], to[1] - held.from[1]) * view.current.scale < DRAG_PX) return;
      held.index = -1;
      now.current.onPick(held.from);
      now.current.onPick(to);
    } else if (held.index !== null && held.moved)
      now.current.onMove(held.index === -1 ? now.current.points.length - 1 : held.index, toPicture(event));
  };
  const up = (event: React.PointerEvent) => {
    const held = drag.current;
    drag.current = null;
    setCross(null);
    if (held && !held.panning && held.index === null) now.current.onPick(toPicture(event));
  };
  const middle = (): Point => {
    const bounds = box.current?.getBoundingClientRect();
    const { x, y, scale } = view.current;
    return [((bounds?.width ?? 0) / 2 - x) / scale, ((bounds?.height ?? 0) / 2 - y) / scale];
  };
  const key = (event: React.KeyboardEvent) => {
    const arrow = ARROWS[event.key];
    const { chosen, points } = now.current;
    const used = (() => {
      if (arrow && event.ctrlKey) {
        const from = cross ?? middle();
        const step = (event.shiftKey ? 1 : 12) / view.current.scale;
        setCross([from[0] + arrow[0] * step, from[1] + arrow[1] * step]);
      } else if (arrow && chosen !== null && points[chosen]) {
        const step = event.shiftKey ? 1 : 0.1;
        const [x, y] = points[chosen];
        now.current.onMove(chosen, [x + arrow[0] * step, y + arrow[1] * step]);
      } else if (event.key === "Enter") now.current.onPick(cross ?? middle());
      else if (event.key === "+" || event.key === "=") viewer?.viewport.zoomBy(1.25);
      else if (event.key === "-") viewer?.viewport.zoomBy(0.8);
      else if (event.key === "0") viewer?.viewport.goHome();
      else if (event.key === " ") space.current = true;
      else return false;
      return true;
    })();
    if (!used) return;
    event.preventDefault();
    event.stopPropagation();
  };
  useEffect(() => {
    const element = surface.current;
    const turned = (event: WheelEvent) => {
      event.preventDefault();
      const bounds = element?.getBoundingClientRect();
      if (!viewer || !bounds) return;
      const at = new OpenSeadragon.Point(event.clientX - bounds.left, event.clientY - bounds.top);
      viewer.viewport.zoomBy(
        1.25 ** -Math.sign(event.deltaY || event.deltaX),
        viewer.viewport.pointFromPixel(at),
      );
      viewer.viewport.applyConstraints();
    };
    // React listens passively: the page would scroll with it.
    element?.addEventListener("wheel", turned, { passive: false });
    return () => element?.removeEventListener("wheel", turned);
  }, [viewer]);
  const toOne = () => {
    const item = viewer?.world.getItemAt(0);
    if (viewer && item) viewer.viewport.zoomTo(item.imageToViewportZoom(1 / window.devicePixelRatio));
  };

  return (
    <>
      <div
        className="relative min-h-0 flex-1 overflow-hidden bg-mat small:h-[60vh] small:min-h-72 small:flex-none"
        data-loaded={loaded}
      >
        <div ref={box} className="absolute inset-0" />
        <svg aria-hidden="true" className="pointer-events-none absolute inset-0 h-full w-full">
          <g ref={layer}>
            {overlay}
            {cross && (
              <g stroke="white" strokeWidth={1.5} fill="none">
                <line
                  x1={cross[0] - 9}
                  x2={cross[0] + 9}
                  y1={cross[1]}
                  y2={cross[1]}
                  vectorEffect="non-scaling-stroke"
                />
                <line
                  x1={cross[0]}
                  x2={cross[0]}
                  y1={cross[1] - 9}
                  y2={cross[1] + 9}
                  vectorEffect="non-scaling-stroke"
                />
              </g>
            )}
          </g>
        </svg>
        <div
          ref={surface}
          role="application"
          // biome-ignore lint/a11y/noNoninteractiveTabindex: places are picked with keys too
          tabIndex={0}
          aria-label="Picture: click or press Enter to pick a place, arrows move the chosen one by 0.1 px"
          className="absolute inset-0 cursor-crosshair touch-none"
          onPointerDown={down}
          onPointerMove={move}
          onPointerUp={up}
          onPointerLeave={() => now.current.onPoint?.(null)}
          onKeyDown={key}
          onKeyUp={(event) => {
            if (event.key === " ") space.current = false;
          }}
        />
        {corner && (
          <div className="pointer-events-none absolute bottom-2.5 left-3 z-10 max-w-[90%] rounded-s bg-card px-2.5 py-1.5">
            {corner}
          </div>
        )}
        {!loaded && !failed && (
          <p className="pointer-events-none absolute inset-0 grid place-items-center text-[#dfe4df]">
            <span className="bg-mat px-3 py-1">Fetching the picture …</span>
          </p>
        )}
        {failed && (
          <p role="alert" className="absolute inset-x-0 bottom-3 mx-auto w-fit bg-fault-wash px-3 py-1.5">
            The picture could not be loaded. Load the page again.
          </p>
        )}
      </div>
      <div className="flex flex-wrap items-center justify-end gap-2 border-ink border-t bg-card px-4 py-1.5">
        <div className="flex min-w-0 flex-1 flex-wrap items-center gap-x-3">
          {choice || (
            <span className="text-[0.875rem] text-ink2">
              Wheel zooms, Space and drag moves; arrows move the chosen place.
            </span>
          )}
        </div>
        <span className="w-16 text-right" aria-live="polite">
          {zoom !== null && `${Math.round(zoom * window.devicePixelRatio * 100)} %`}
        </span>
        <Button onClick={() => viewer?.viewport.goHome()}>Fit</Button>
        <Button onClick={toOne}>1 : 1</Button>
      </div>
    </>
  );
}

/** The pixel at a place, or null outside the picture. */
function inside(viewer: OpenSeadragon.Viewer | null, [x, y]: Point): { x: number; y: number } | null {
  const size = viewer?.world.getItemAt(0)?.getContentSize();
  const [column, row] = [Math.round(x), Math.round(y)];
  return size && column >= 0 && row >= 0 && column < size.x && row < size.y ? { x: column, y: row } : null;
}
