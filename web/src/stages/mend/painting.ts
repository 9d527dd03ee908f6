import type { Mend } from "../../client/api";
import { drawMask, drawTiles, type View } from "./pixels";
import type { Brush, Point, Tool } from "./steps";
import { laid, merged } from "./tiles";

/** A stroke that is on its way to the server: drawn here until the computed pixels are there. */
export interface Pending {
  id: number;
  path: Point[];
  brush: Brush;
  /** What it shows: a frame, another merge, the merge itself, or the picture as it is, taken from elsewhere. */
  from: { frame: number } | { merge: number } | "merge" | { moved: Point };
}

/** What is to be drawn, and with what. */
export interface Shown {
  mend: Mend;
  tool: Tool;
  brush: Brush;
  /** The frame that paint comes from, or another merge instead. */
  frame: number | null;
  fromMerge: number | null;
  /** Pixels are healed from this place. */
  healFrom: Point | null;
  pending: Pending[];
  /** The frame alone. */
  alone: boolean;
  /** The frame that the brush shows before it paints. */
  preview: number | null;
}

export const STROKES: ReadonlySet<Tool> = new Set(["paint", "erase", "heal", "ground", "tone"]);

/** What lies over the picture: strokes that are not computed yet, the one under the hand, or a frame alone. */
export function paint(
  canvas: HTMLCanvasElement,
  view: View,
  { mend, tool, brush, frame, fromMerge, healFrom, pending, alone, preview }: Shown,
  drag: { path: Point[]; moving: boolean } | null,
  at: Point | null,
  picture: HTMLCanvasElement | undefined,
  later: () => void,
) {
  if (canvas.width !== view.width || canvas.height !== view.height) {
    canvas.width = view.width;
    canvas.height = view.height;
  }
  const context = canvas.getContext("2d");
  if (!context) return;
  context.clearRect(0, 0, canvas.width, canvas.height);
  if (alone && frame !== null) {
    context.fillStyle = "black";
    context.fillRect(view.x, view.y, mend.width_px * view.scale, mend.height_px * view.scale);
    drawTiles(context, laid(mend, frame), view, later);
    return;
  }
  const strokes = [...pending];
  if (drag && !drag.moving && STROKES.has(tool)) {
    const first = drag.path[0] as Point;
    const from: Pending["from"] | null =
      tool === "erase"
        ? "merge"
        : tool === "heal"
          ? healFrom && { moved: [healFrom[0] - first[0], healFrom[1] - first[1]] }
          : tool !== "paint"
            ? null
            : fromMerge !== null
              ? { merge: fromMerge }
              : frame !== null
                ? { frame }
                : null;
    if (from) strokes.push({ id: -1, path: drag.path, brush, from });
    else if (tool !== "paint") shade(context, drag.path, brush, view);
  }
  if (!drag && at && tool === "paint" && (preview !== null || fromMerge !== null)) {
    const from = preview === null && fromMerge !== null ? { merge: fromMerge } : { frame: preview ?? 0 };
    strokes.push({ id: -1, path: [at], brush, from });
  }
  for (const one of strokes) lay(context, one, mend, view, picture, later);
  if (tool === "heal" && healFrom) {
    context.strokeStyle = "#ff8a80";
    context.lineWidth = 2;
    context.beginPath();
    context.arc(
      view.x + healFrom[0] * view.scale,
      view.y + healFrom[1] * view.scale,
      brush.radius * view.scale,
      0,
      7,
    );
    context.stroke();
  }
}

const scratch = new Map<string, HTMLCanvasElement>();
function sheet(name: string, view: View): CanvasRenderingContext2D | null {
  const made = scratch.get(name) ?? document.createElement("canvas");
  scratch.set(name, made);
  if (made.width !== view.width || made.height !== view.height) {
    made.width = view.width;
    made.height = view.height;
  }
  const context = made.getContext("2d");
  context?.clearRect(0, 0, made.width, made.height);
  return context;
}

/** Lay what a stroke shows over the picture, under its mask. */
function lay(
  context: CanvasRenderingContext2D,
  { path, brush, from }: Pending,
  mend: Mend,
  view: View,
  picture: HTMLCanvasElement | undefined,
  later: () => void,
) {
  const mask = sheet("mask", view);
  const content = sheet("content", view);
  if (!mask || !content) return;
  drawMask(mask, path, brush, view);
  if (from === "merge") drawTiles(content, merged(mend), view, later);
  else if ("merge" in from) drawTiles(content, merged(mend, from.merge), view, later);
  else if ("frame" in from) drawTiles(content, laid(mend, from.frame), view, later);
  else if (picture)
    content.drawImage(
      picture,
      -from.moved[0] * view.scale,
      -from.moved[1] * view.scale,
      view.width,
      view.height,
    );
  content.globalCompositeOperation = "destination-in";
  content.drawImage(mask.canvas, 0, 0);
  content.globalCompositeOperation = "source-over";
  context.globalAlpha = brush.strength;
  context.drawImage(content.canvas, 0, 0);
  context.globalAlpha = 1;
}

/** A stroke of a tool that lays no picture: where it goes. */
function shade(context: CanvasRenderingContext2D, path: Point[], brush: Brush, view: View) {
  context.globalAlpha = 0.35;
  drawMask(context, path, brush, view);
  context.globalAlpha = 1;
}
