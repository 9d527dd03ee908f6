import OpenSeadragon from "openseadragon";
import { useEffect, useRef, useState } from "react";
import { type PictureKind, pictureUrl } from "../client/api";
import { Button } from "../ui/Button";
import { OneOf } from "../ui/OneOf";

export interface Shown {
  kind: PictureKind;
  id: number;
  label: string;
  /** Where its tiles are, for a picture that is made of others; `called` is its name, another for other pixels. */
  source?: { called: string; tiles: OpenSeadragon.TileSourceOptions };
}

export interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

interface Props {
  left: Shown;
  right: Shown;
  /** SVG that lies on the pictures, in their own pixels: boxes, lines, brush strokes. */
  overlay?: React.ReactNode;
  /** Told the pixel under the pointer, or none. */
  onPoint?: (at: { x: number; y: number } | null) => void;
  /** A box to bring to the middle, at 1:1 or as large as it fits; a new object goes there once. */
  goTo?: Box | null;
  /** When given, a rectangle can be drawn: it is told in the pictures' pixels, or none when that was given up. */
  onDraw?: ((box: Box | null) => void) | undefined;
  /** What lies over the lower left corner, such as a legend. */
  corner?: React.ReactNode;
}

const STEP = 0.02;
const BLINK_MS = 700;
const DIFFERENCE_GAIN = 4;
const WAYS = [
  { value: "divider", label: "Divider" },
  { value: "blink", label: "Blink" },
  { value: "difference", label: "Difference" },
] as const;
const HINTS = {
  divider: "Drag the divider, or focus it and use the arrow keys.",
  blink: "One after the other in the same place: what jumps is different.",
  difference: `Black where both are alike; what differs is shown ${DIFFERENCE_GAIN} times as bright.`,
};
const DRAW = "Draw a rectangle on the picture, or press Enter for the middle of the view. Escape ends.";
type Way = (typeof WAYS)[number]["value"];

/** Two pictures of the same field against each other, by a divider, by turns or by difference, down to 1:1. */
export function Viewer({ left, right, overlay, onPoint, goTo, onDraw, corner }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const [viewer, setViewer] = useState<OpenSeadragon.Viewer | null>(null);
  const [divider, setDivider] = useState(0.5);
  const [zoom, setZoom] = useState<number | null>(null);
  const [failed, setFailed] = useState(false);
  const [loaded, setLoaded] = useState(false);
  const [seen, setSeen] = useState(false);
  const [way, setWay] = useState<Way>("divider");
  const [onTop, setOnTop] = useState<"left" | "right">("right");
  const [byItself, setByItself] = useState(true);
  const cut = way === "divider" ? divider : 0;
  const at = useRef({ cut, way, onTop });
  const layer = useRef<SVGGElement>(null);
  at.current = { cut, way, onTop };

  useEffect(() => {
    if (!box.current) return;
    const made = OpenSeadragon({
      element: box.current,
      drawer: "canvas",
      showNavigationControl: false,
      minZoomImageRatio: 0.8,
      maxZoomPixelRatio: 8,
      visibilityRatio: 0.4,
      animationTime: 0.25,
      gestureSettingsMouse: { clickToZoom: false, dblClickToZoom: true },
      imageSmoothingEnabled: true,
    });
    made.canvas.setAttribute("aria-label", "Picture: plus and minus zoom, arrows move, 0 shows the whole");
    made.canvas.setAttribute("role", "application");
    const follow = () => {
      clip(made, at.current.cut);
      const item = made.world.getItemAt(0);
      if (!item) return;
      setZoom(item.viewportToImageZoom(made.viewport.getZoom(true)));
      const origin = item.imageToViewerElementCoordinates(new OpenSeadragon.Point(0, 0));
      const one = item.imageToViewerElementCoordinates(new OpenSeadragon.Point(1, 0));
      layer.current?.setAttribute(
        "transform",
        `translate(${origin.x} ${origin.y}) scale(${one.x - origin.x})`,
      );
    };
    made.addHandler("update-viewport", follow);
    setViewer(made);
    return () => made.destroy();
  }, []);

  useEffect(() => {
    if (!viewer) return;
    setFailed(false);
    const wanted = [left, right];
    wanted.forEach((shown, index) => {
      const url = shown.source?.called ?? pictureUrl(shown.kind, shown.id, "picture.dzi");
      const present = viewer.world.getItemAt(index) as
        | (OpenSeadragon.TiledImage & { url?: string })
        | undefined;
      if (present?.url === url) return;
      viewer.addTiledImage({
        tileSource: shown.source?.tiles ?? url,
        width: 1,
        index,
        replace: Boolean(present),
        success: (event) => {
          const item = (event as unknown as { item: OpenSeadragon.TiledImage & { url?: string } }).item;
          item.url = url;
          const note = () => {
            setLoaded(complete(viewer));
            if (complete(viewer)) setSeen(true);
          };
          item.addHandler("fully-loaded-change", note);
          note();
          clip(viewer, at.current.cut);
          lay(viewer, at.current.way, at.current.onTop);
        },
        error: () => setFailed(true),
      });
    });
  }, [viewer, left, right]);

  useEffect(() => {
    if (viewer) {
      clip(viewer, cut);
      viewer.forceRedraw();
    }
  }, [viewer, cut]);

  useEffect(() => {
    if (viewer) lay(viewer, way, onTop);
  }, [viewer, way, onTop]);

  useEffect(() => {
    if (way !== "blink" || !byItself) return;
    const turns = setInterval(() => setOnTop(other), BLINK_MS);
    return () => clearInterval(turns);
  }, [way, byItself]);

  useEffect(() => {
    const item = viewer?.world.getItemAt(0);
    if (!viewer || !item || !goTo) return;
    const { x, y, width, height } = goTo;
    const wanted = item.imageToViewportRectangle(x, y, width, height);
    const shown = viewer.viewport.getContainerSize();
    const one = window.devicePixelRatio;
    if (width > shown.x * one || height > shown.y * one) viewer.viewport.fitBounds(wanted);
    else {
      viewer.viewport.zoomTo(item.imageToViewportZoom(1 / one));
      viewer.viewport.panTo(wanted.getCenter());
    }
  }, [viewer, goTo]);

  const compareBy = (chosen: Way) => {
    setWay(chosen);
    setOnTop("right");
    // Who wants nothing to move turns the pictures over by hand.
    setByItself(!window.matchMedia("(prefers-reduced-motion: reduce)").matches);
  };
  const pull = (event: React.PointerEvent) => {
    if (event.buttons !== 1 || !box.current) return;
    const bounds = box.current.getBoundingClientRect();
    setDivider(Math.min(1, Math.max(0, (event.clientX - bounds.left) / bounds.width)));
  };
  const toImage = (inBox: { x: number; y: number }) => {
    const item = viewer?.world.getItemAt(0);
    return item?.viewerElementToImageCoordinates(new OpenSeadragon.Point(inBox.x, inBox.y));
  };
  const drawn = (drag: Box) => {
    const [from, to] = [toImage(drag), toImage({ x: drag.x + drag.width, y: drag.y + drag.height })];
    if (from && to) onDraw?.({ x: from.x, y: from.y, width: to.x - from.x, height: to.y - from.y });
  };
  const point = (event: React.PointerEvent) => {
    const item = viewer?.world.getItemAt(0);
    if (!item || !box.current || !onPoint) return;
    const bounds = box.current.getBoundingClientRect();
    const place = toImage({ x: event.clientX - bounds.left, y: event.clientY - bounds.top });
    if (!place) return;
    const { x, y } = place;
    const size = item.getContentSize();
    const inside = x >= 0 && y >= 0 && x < size.x && y < size.y;
    onPoint(inside ? { x: Math.floor(x), y: Math.floor(y) } : null);
  };
  const toOne = () => {
    const item = viewer?.world.getItemAt(0);
    if (viewer && item) viewer.viewport.zoomTo(item.imageToViewportZoom(1 / window.devicePixelRatio));
  };

  return (
    <>
      <div
        className="relative min-h-0 flex-1 overflow-hidden bg-mat small:h-[70vh] small:min-h-72 small:flex-none"
        data-loaded={loaded}
        onPointerMove={onPoint && point}
        onPointerLeave={() => onPoint?.(null)}
      >
        <div ref={box} className="absolute inset-0" />
        {overlay && (
          <svg aria-hidden="true" className="pointer-events-none absolute inset-0 h-full w-full">
            <g ref={layer}>{overlay}</g>
          </svg>
        )}
        {!seen && !failed && (
          <p className="pointer-events-none absolute inset-0 grid place-items-center text-[#dfe4df]">
            <span className="bg-mat px-3 py-1">Fetching the picture …</span>
          </p>
        )}
        {way === "divider" && (
          <div
            role="slider"
            tabIndex={0}
            aria-label="Divider between the two pictures"
            aria-valuemin={0}
            aria-valuemax={100}
            aria-valuenow={Math.round(divider * 100)}
            className="absolute inset-y-0 z-10 w-6 -translate-x-1/2 cursor-col-resize touch-none"
            style={{ left: `${divider * 100}%` }}
            onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
            onPointerMove={pull}
            onKeyDown={(event) => {
              const step = { ArrowLeft: -STEP, ArrowRight: STEP, Home: -1, End: 1 }[event.key];
              if (step === undefined) return;
              event.preventDefault();
              setDivider((now) => Math.min(1, Math.max(0, now + step)));
            }}
          >
            <span className="absolute inset-y-0 left-1/2 w-0.5 -translate-x-1/2 bg-white" />
          </div>
        )}
        {onDraw && <Drawing onDrawn={drawn} onEnd={() => onDraw(null)} />}
        {(way !== "blink" || onTop === "left") && <Caption side="left-3">{left.label}</Caption>}
        {(way !== "blink" || onTop === "right") && <Caption side="right-3">{right.label}</Caption>}
        {corner && (
          <div className="pointer-events-none absolute bottom-2.5 left-3 z-10 rounded-s bg-card px-2.5 py-1.5">
            {corner}
          </div>
        )}
        {failed && (
          <p role="alert" className="absolute inset-x-0 bottom-3 mx-auto w-fit bg-fault-wash px-3 py-1.5">
            A picture could not be loaded. Choose it again.
          </p>
        )}
      </div>
      <div className="flex flex-wrap items-center justify-end gap-2 border-ink border-t bg-card px-4 py-1.5">
        <OneOf label="Compare by" value={way} options={WAYS} onChange={compareBy} />
        {way === "blink" && (
          <Button
            onClick={() => {
              setByItself(false);
              setOnTop(other);
            }}
          >
            Other picture
          </Button>
        )}
        <span className="min-w-40 flex-1 text-[0.875rem] text-ink2">{onDraw ? DRAW : HINTS[way]}</span>
        <span className="w-16 text-right" aria-live="polite">
          {zoom !== null && `${Math.round(zoom * window.devicePixelRatio * 100)} %`}
        </span>
        <Button onClick={() => viewer?.viewport.goHome()}>Fit</Button>
        <Button onClick={toOne}>1 : 1</Button>
      </div>
    </>
  );
}

/** Lies over the pictures until a rectangle was drawn, by hand or as the middle of the view. */
function Drawing({ onDrawn, onEnd }: { onDrawn: (drag: Box) => void; onEnd: () => void }) {
  const [from, setFrom] = useState<{ x: number; y: number } | null>(null);
  const [to, setTo] = useState<{ x: number; y: number } | null>(null);
  const within = (event: React.PointerEvent) => {
    const bounds = event.currentTarget.getBoundingClientRect();
    return { x: event.clientX - bounds.left, y: event.clientY - bounds.top };
  };
  const drag = from &&
    to && {
      x: Math.min(from.x, to.x),
      y: Math.min(from.y, to.y),
      width: Math.abs(from.x - to.x),
      height: Math.abs(from.y - to.y),
    };
  return (
    <button
      type="button"
      // biome-ignore lint/a11y/noAutofocus: it was just asked for, and takes the keys
      autoFocus
      aria-label={DRAW}
      className="absolute inset-0 z-20 cursor-crosshair touch-none bg-transparent"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        setFrom(within(event));
        setTo(within(event));
      }}
      onPointerMove={(event) => from && setTo(within(event))}
      onPointerUp={() => drag && onDrawn(drag)}
      onKeyDown={(event) => {
        if (event.key === "Escape") onEnd();
        if (event.key !== "Enter") return;
        event.preventDefault();
        const { clientWidth, clientHeight } = event.currentTarget;
        onDrawn({ x: clientWidth / 2, y: clientHeight / 2, width: 0, height: 0 });
      }}
    >
      {drag && (
        <span
          className="absolute border-2 border-white bg-white/10"
          style={{ left: drag.x, top: drag.y, width: drag.width, height: drag.height }}
        />
      )}
    </button>
  );
}

function Caption({ side, children }: { side: string; children: string }) {
  return (
    <p
      className={`head pointer-events-none absolute top-2.5 z-10 ${side} rounded-s bg-card px-2.5 py-1 text-[0.875rem]`}
    >
      {children}
    </p>
  );
}

function other(side: "left" | "right") {
  return side === "left" ? "right" : "left";
}

/** Whether both pictures are there with every tile that the view needs. */
function complete(viewer: OpenSeadragon.Viewer): boolean {
  const items = [viewer.world.getItemAt(0), viewer.world.getItemAt(1)];
  return items.every((item) => item?.getFullyLoaded());
}

/** Lay the right picture over the left one as the comparison wants it. */
function lay(viewer: OpenSeadragon.Viewer, way: Way, onTop: "left" | "right") {
  const above = viewer.world.getItemAt(1);
  above?.setOpacity(way === "blink" && onTop === "left" ? 0 : 1);
  above?.setCompositeOperation(way === "difference" ? "difference" : "source-over");
  viewer.drawer.canvas.style.filter = way === "difference" ? `brightness(${DIFFERENCE_GAIN})` : "";
  viewer.forceRedraw();
}

/** Let the left picture end and the right one begin at the divider, wherever the view is. */
function clip(viewer: OpenSeadragon.Viewer, divider: number) {
  const left = viewer.world.getItemAt(0);
  const right = viewer.world.getItemAt(1);
  if (!left || !right) return;
  const view = viewer.viewport.getBounds(true);
  const size = right.getContentSize();
  const x = right.viewportToImageCoordinates(new OpenSeadragon.Point(view.x + view.width * divider, 0)).x;
  const cut = Math.min(size.x, Math.max(0, x));
  const before = right.getClip();
  // Setting a clip asks for another drawing; only a real change may do that.
  if (before && Math.abs(before.x - cut) < 0.01) return;
  right.setClip(new OpenSeadragon.Rect(cut, 0, Math.max(size.x - cut, 0.001), size.y));
}
