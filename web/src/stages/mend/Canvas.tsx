import OpenSeadragon from "openseadragon";
import { useEffect, useRef, useState } from "react";
import type { Mend } from "../../client/api";
import type { Box } from "../../pictures/Viewer";
import { all, type Item, items, removeOthers } from "./layers";
import { paint, type Shown, STROKES } from "./painting";
import { prefetch, type Tiles, type View } from "./pixels";
import { ARROWS, type Point } from "./steps";
import { asSource, laid, marked, mended, merged } from "./tiles";

export type Marks = "seams" | "clipped" | null;

interface Props extends Shown {
  marks: Marks;
  /** The merge as it was. */
  before: boolean;
  goTo: Box | null;
  /** Told what part of the picture is in view. */
  visible: React.RefObject<Box | null>;
  overlay: React.ReactNode;
  corner: React.ReactNode;
  onPoint: (at: Point | null) => void;
  /** A stroke was drawn; `pressure` is that of a tablet's pen, 1 where there is none. */
  onStroke: (path: Point[], pressure: number) => void;
  /** A place was clicked, with a tool that asks for places. */
  onPlace: (at: Point) => void;
  onBox: (box: Box) => void;
  onBrush: (by: { size?: number; softness?: number; strength?: number }) => void;
  onNudge: (by: Point) => void;
  onRung: (by: number) => void;
  /** The pixels of this revision are in the picture. */
  onShown: (revision: number) => void;
}

const USUAL_PRESSURE = 0.5; // what a mouse says

/** The mended picture, with the brush on it. */
export function Canvas(props: Props) {
  const { mend, tool, brush, frame, pending, marks, alone, before, goTo, overlay, corner } = props;
  const box = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const layer = useRef<SVGGElement>(null);
  const circle = useRef<SVGCircleElement>(null);
  const [viewer, setViewer] = useState<OpenSeadragon.Viewer | null>(null);
  const [loaded, setLoaded] = useState(false);
  const [failed, setFailed] = useState(false);
  const [zoom, setZoom] = useState<number | null>(null);
  const view = useRef<View>({ x: 0, y: 0, scale: 1, width: 0, height: 0 });
  const at = useRef<Point | null>(null);
  const drag = useRef<{ path: Point[]; pressures: number[]; moving: boolean } | null>(null);
  const space = useRef(false);
  const now = useRef(props);
  now.current = props;

  const redraw = () => {
    if (canvas.current)
      paint(canvas.current, view.current, now.current, drag.current, viewerCanvas(), redraw);
  };
  const latest = useRef(redraw);
  latest.current = redraw;
  const viewerCanvas = () => viewer?.drawer.canvas as HTMLCanvasElement | undefined;

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
      view.current = { x: origin.x, y: origin.y, scale: one.x - origin.x, width: size.x, height: size.y };
      const [left, top] = [Math.max(0, -origin.x), Math.max(0, -origin.y)].map(
        (side) => side / view.current.scale,
      ) as Point;
      const content = item.getContentSize();
      now.current.visible.current = {
        x: left,
        y: top,
        width: Math.min(content.x, (size.x - origin.x) / view.current.scale) - left,
        height: Math.min(content.y, (size.y - origin.y) / view.current.scale) - top,
      };
      layer.current?.setAttribute(
        "transform",
        `translate(${origin.x} ${origin.y}) scale(${view.current.scale})`,
      );
      latest.current();
    };
    made.addHandler("update-viewport", follow);
    made.addHandler("tile-load-failed", () => setFailed(true));
    setViewer(made);
    return () => made.destroy();
  }, []);

  /** What shall be shown of each kind: what was wanted before may still be on its way. */
  const wanted = useRef<Record<string, string>>({});
  // The merge below, the mended picture on it, marks on top. What is shown anew comes over what was there, and what was
  // there goes only when the new is whole: nothing flickers.
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
      viewer.addTiledImage({
        tileSource: asSource(source, transparent),
        width: 1,
        success: (event) => {
          const item = (event as unknown as { item: Item }).item;
          item.called = called;
          if (wanted.current[kind] !== called) return viewer.world.removeItem(item);
          const whole = () => {
            if (!item.getFullyLoaded() || wanted.current[kind] !== called) return;
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
      latest.current();
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

  // biome-ignore lint/correctness/useExhaustiveDependencies: what is drawn on top follows all of these
  useEffect(() => latest.current(), [pending, frame, alone, tool, brush, before]);
  useEffect(() => {
    if (frame !== null) prefetch(laid(now.current.mend, frame), view.current, () => latest.current());
  }, [frame]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the circle follows the brush and the tool
  useEffect(() => place(at.current), [brush, tool]);

  const place = (point: Point | null) => {
    at.current = point;
    const shows = point && STROKES.has(now.current.tool);
    circle.current?.setAttribute("visibility", shows ? "visible" : "hidden");
    if (!point) return;
    circle.current?.setAttribute("cx", String(point[0]));
    circle.current?.setAttribute("cy", String(point[1]));
    circle.current?.setAttribute("r", String(now.current.brush.radius));
  };
  const toPicture = (event: { clientX: number; clientY: number }): Point => {
    const bounds = box.current?.getBoundingClientRect();
    const { x, y, scale } = view.current;
    return [
      (event.clientX - (bounds?.left ?? 0) - x) / scale,
      (event.clientY - (bounds?.top ?? 0) - y) / scale,
    ];
  };
  const down = (event: React.PointerEvent) => {
    event.currentTarget.setPointerCapture(event.pointerId);
    const moving = event.button === 1 || space.current || now.current.tool === "move";
    const point = toPicture(event);
    drag.current = { path: [point], pressures: [event.pressure || USUAL_PRESSURE], moving };
    redraw();
  };
  const move = (event: React.PointerEvent) => {
    const point = toPicture(event);
    place(point);
    now.current.onPoint(inside(point, mend) ? point : null);
    if (!drag.current) return;
    if (drag.current.moving) {
      viewer?.viewport.panBy(
        viewer.viewport.deltaPointsFromPixels(new OpenSeadragon.Point(-event.movementX, -event.movementY)),
        true,
      );
      return;
    }
    const native = event.nativeEvent;
    for (const one of native.getCoalescedEvents?.().length ? native.getCoalescedEvents() : [native]) {
      drag.current.path.push(toPicture(one));
      drag.current.pressures.push(one.pressure || USUAL_PRESSURE);
    }
    redraw();
  };
  const up = (event: React.PointerEvent) => {
    const made = drag.current;
    drag.current = null;
    if (!made || made.moving) return;
    const from = made.path[0] as Point;
    const to = toPicture(event);
    if (tool === "crop") {
      const [left, top] = [Math.min(from[0], to[0]), Math.min(from[1], to[1])];
      now.current.onBox({
        x: left,
        y: top,
        width: Math.abs(to[0] - from[0]),
        height: Math.abs(to[1] - from[1]),
      });
    } else if (tool === "part" || event.altKey || (tool === "heal" && !props.healFrom)) {
      now.current.onPlace(to);
    } else {
      const pen = event.pointerType === "pen";
      const mean = made.pressures.reduce((sum, one) => sum + one, 0) / made.pressures.length;
      now.current.onStroke(made.path, pen ? Math.min(1, mean / USUAL_PRESSURE) : 1);
    }
    redraw();
  };
  const wheel = (event: WheelEvent) => {
    event.preventDefault();
    const turn = -Math.sign(event.deltaY || event.deltaX);
    if (event.shiftKey && event.altKey) return now.current.onBrush({ strength: 0.05 * turn });
    if (event.shiftKey) return now.current.onBrush({ size: 1.15 ** turn });
    if (event.altKey) return now.current.onBrush({ softness: 0.1 * turn });
    if (!viewer || !box.current) return;
    const bounds = box.current.getBoundingClientRect();
    const point = new OpenSeadragon.Point(event.clientX - bounds.left, event.clientY - bounds.top);
    viewer.viewport.zoomBy(1.25 ** turn, viewer.viewport.pointFromPixel(point));
    viewer.viewport.applyConstraints();
  };
  const wheeled = useRef(wheel);
  wheeled.current = wheel;
  const surface = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const element = surface.current;
    const turned = (event: WheelEvent) => wheeled.current(event);
    // React listens passively: the page would scroll with it.
    element?.addEventListener("wheel", turned, { passive: false });
    return () => element?.removeEventListener("wheel", turned);
  }, []);
  const toOne = () => {
    const item = viewer?.world.getItemAt(0);
    if (viewer && item) viewer.viewport.zoomTo(item.imageToViewportZoom(1 / window.devicePixelRatio));
  };
  const middle = (): Point => {
    const { x, y, scale, width, height } = view.current;
    return [(width / 2 - x) / scale, (height / 2 - y) / scale];
  };
  const key = (event: React.KeyboardEvent) => {
    const arrow = ARROWS[event.key];
    const used = (() => {
      if (arrow && event.ctrlKey) {
        const [x, y] = at.current ?? middle();
        const step = Math.max(1, now.current.brush.radius / 2);
        place([x + arrow[0] * step, y + arrow[1] * step]);
        now.current.onPoint(at.current);
        return true;
      }
      if (arrow && event.shiftKey) now.current.onNudge([arrow[0] / 2, arrow[1] / 2]);
      else if (arrow && arrow[1] !== 0) now.current.onRung(arrow[1]);
      else if (event.key === "+" || event.key === "=") viewer?.viewport.zoomBy(1.25);
      else if (event.key === "-") viewer?.viewport.zoomBy(0.8);
      else if (event.key === "0") viewer?.viewport.goHome();
      else if (event.key === " ") space.current = true;
      else if (event.key === "Enter") {
        const point = at.current ?? middle();
        if (tool === "part" || (tool === "heal" && !props.healFrom)) now.current.onPlace(point);
        else if (STROKES.has(tool)) now.current.onStroke([point], 1);
      } else return false;
      return true;
    })();
    if (!used) return;
    event.preventDefault();
    event.stopPropagation();
  };

  return (
    <div className="relative min-h-0 flex-1 overflow-hidden bg-mat small:h-[70vh] small:min-h-72 small:flex-none">
      <div ref={box} className="absolute inset-0" />
      <canvas ref={canvas} className="pointer-events-none absolute inset-0 h-full w-full" />
      <svg aria-hidden="true" className="pointer-events-none absolute inset-0 h-full w-full">
        <g ref={layer}>
          {overlay}
          <circle
            ref={circle}
            visibility="hidden"
            fill="none"
            stroke="white"
            strokeWidth={2}
            vectorEffect="non-scaling-stroke"
            className="drop-shadow-[0_0_1px_black]"
          />
        </g>
      </svg>
      <div
        ref={surface}
        role="application"
        aria-label="Picture: Enter paints at the brush, Control and arrows move it, up and down choose the rung"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: it is the picture that is painted on, with keys of its own
        tabIndex={0}
        data-loaded={loaded}
        data-revision={mend.revision}
        className={`absolute inset-0 z-10 touch-none outline-offset-[-3px] ${tool === "move" ? "cursor-grab" : STROKES.has(tool) ? "cursor-none" : "cursor-crosshair"}`}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onPointerCancel={() => {
          drag.current = null;
          redraw();
        }}
        onPointerLeave={() => {
          place(null);
          now.current.onPoint(null);
        }}
        onKeyDown={key}
        onKeyUp={(event) => {
          if (event.key === " ") space.current = false;
        }}
        onBlur={() => {
          space.current = false;
        }}
      />
      {!loaded && !failed && (
        <p className="pointer-events-none absolute inset-0 grid place-items-center text-[#dfe4df]">
          <span className="bg-mat px-3 py-1">Working out the picture …</span>
        </p>
      )}
      {failed && (
        <p role="alert" className="absolute inset-x-0 bottom-14 z-20 mx-auto w-fit bg-fault-wash px-3 py-1.5">
          A part of the picture could not be fetched. Load the page again; no step is lost.
        </p>
      )}
      <div className="pointer-events-none absolute inset-x-3 bottom-2.5 z-20 flex items-end justify-between gap-3">
        <div className="min-w-0">{corner}</div>
        <div className="pointer-events-auto flex items-center gap-1 rounded-s bg-card px-2">
          <span className="w-14 text-right" aria-live="polite">
            {zoom !== null && `${Math.round(zoom * window.devicePixelRatio * 100)} %`}
          </span>
          <button
            type="button"
            className="min-h-9 whitespace-nowrap px-2 underline"
            onClick={() => viewer?.viewport.goHome()}
          >
            Fit
          </button>
          <button type="button" className="min-h-9 whitespace-nowrap px-2 underline" onClick={toOne}>
            1 : 1
          </button>
        </div>
      </div>
    </div>
  );
}

const inside = ([x, y]: Point, { width_px, height_px }: Mend) =>
  x >= 0 && y >= 0 && x < width_px && y < height_px;
