import OpenSeadragon from "openseadragon";
import { useEffect, useRef } from "react";
import type { Mend } from "../../client/api";
import type { Box } from "../../pictures/Viewer";
import { paint, type Shown, STROKES } from "./painting";
import { prefetch, type View } from "./pixels";
import { ARROWS, type Point } from "./steps";
import { laid } from "./tiles";
import { type PictureProps, usePicture } from "./usePicture";

interface Props extends Shown, PictureProps {
  /** A rung of the list is pointed at: it is tried where the brush was last. */
  trying: boolean;
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
}

const USUAL_PRESSURE = 0.5; // what a mouse says

/** The mended picture, with the brush on it. */
export function Canvas(props: Props) {
  const { mend, tool, brush, frame, pending, alone, before, overlay, corner } = props;
  const canvas = useRef<HTMLCanvasElement>(null);
  const layer = useRef<SVGGElement>(null);
  const circle = useRef<SVGCircleElement>(null);
  const view = useRef<View>({ x: 0, y: 0, scale: 1, width: 0, height: 0 });
  const at = useRef<Point | null>(null);
  const rested = useRef<Point | null>(null);
  const drag = useRef<{ path: Point[]; pressures: number[]; moving: boolean } | null>(null);
  const space = useRef(false);
  const now = useRef(props);
  now.current = props;

  const { box, viewer, loaded, failed, zoom } = usePicture({
    ...props,
    onView: (shown) => {
      view.current = shown;
      now.current.visible.current = boxOf(shown, now.current.mend);
      layer.current?.setAttribute("transform", `translate(${shown.x} ${shown.y}) scale(${shown.scale})`);
      latest.current();
    },
    onShown: (revision) => {
      props.onShown(revision);
      latest.current();
    },
  });
  const redraw = () => {
    if (canvas.current)
      paint(
        canvas.current,
        view.current,
        now.current,
        drag.current,
        at.current ?? tried(),
        viewerCanvas(),
        redraw,
      );
  };
  /** Where the brush was last: a rung that is pointed at in the list is tried there. */
  const tried = () => (now.current.trying ? rested.current : null);
  const latest = useRef(redraw);
  latest.current = redraw;
  const viewerCanvas = () => viewer?.drawer.canvas as HTMLCanvasElement | undefined;

  // biome-ignore lint/correctness/useExhaustiveDependencies: what is drawn on top follows all of these
  useEffect(
    () => latest.current(),
    [pending, frame, alone, tool, brush, before, props.preview, props.trying],
  );
  const { preview } = props;
  useEffect(() => {
    if (preview !== null) prefetch(laid(now.current.mend, preview), view.current, () => latest.current());
  }, [preview]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the circle follows the brush and the tool
  useEffect(() => place(at.current), [brush, tool, props.trying]);

  const place = (point: Point | null) => {
    at.current = point;
    if (point) rested.current = point;
    const shown = point ?? tried();
    const shows = shown && STROKES.has(now.current.tool);
    circle.current?.setAttribute("visibility", shows ? "visible" : "hidden");
    if (!shown) return;
    circle.current?.setAttribute("cx", String(shown[0]));
    circle.current?.setAttribute("cy", String(shown[1]));
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
    if (!drag.current) return redraw();
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
        redraw();
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
          redraw();
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

/** What of the picture is in view. */
function boxOf({ x, y, scale, width, height }: View, { width_px, height_px }: Mend): Box {
  const [left, top] = [Math.max(0, -x / scale), Math.max(0, -y / scale)];
  return {
    x: left,
    y: top,
    width: Math.min(width_px, (width - x) / scale) - left,
    height: Math.min(height_px, (height - y) / scale) - top,
  };
}

const inside = ([x, y]: Point, { width_px, height_px }: Mend) =>
  x >= 0 && y >= 0 && x < width_px && y < height_px;
