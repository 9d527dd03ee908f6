import type { Brush, Point } from "./steps";

/** Where the picture lies in the view: px of the view = origin + scale · px of the picture. */
export interface View {
  x: number;
  y: number;
  scale: number;
  width: number;
  height: number;
}

/** A tile source's tiles: their side, and the address of one at a level of halving. */
export interface Tiles {
  url: (level: number, column: number, row: number) => string;
  tile: number;
  width: number;
  height: number;
  levels: number;
}

const MOST_KEPT = 200;
const kept = new Map<string, HTMLImageElement>();

/** A tile's picture, once it is there; `onLoad` is told when it comes later. */
function picture(url: string, onLoad: () => void): HTMLImageElement | null {
  const found = kept.get(url);
  if (found) {
    kept.delete(url);
    kept.set(url, found);
    if (!found.complete) found.addEventListener("load", onLoad, { once: true });
    return found.complete && found.naturalWidth > 0 ? found : null;
  }
  const image = new Image();
  image.addEventListener("load", onLoad, { once: true });
  image.addEventListener("error", () => kept.delete(url), { once: true });
  image.src = url;
  kept.set(url, image);
  for (const old of kept.keys()) {
    if (kept.size <= MOST_KEPT) break;
    kept.delete(old);
  }
  return null;
}

/** Draw what the view shows of a picture from its tiles; what is not there yet is told to `onLoad` when it comes. */
export function drawTiles(context: CanvasRenderingContext2D, of: Tiles, view: View, onLoad: () => void) {
  const level = Math.min(of.levels, Math.max(0, Math.floor(Math.log2(1 / Math.max(view.scale, 1e-6)))));
  const side = of.tile * 2 ** level;
  const first = (origin: number) => Math.max(0, Math.floor(-origin / view.scale / side));
  const last = (origin: number, shown: number, size: number) =>
    Math.min(Math.ceil(size / side), Math.ceil((shown - origin) / view.scale / side));
  for (let row = first(view.y); row < last(view.y, view.height, of.height); row++)
    for (let column = first(view.x); column < last(view.x, view.width, of.width); column++) {
      const image = picture(of.url(level, column, row), onLoad);
      if (!image) continue;
      const scale = view.scale * 2 ** level;
      context.drawImage(
        image,
        view.x + column * side * view.scale,
        view.y + row * side * view.scale,
        image.naturalWidth * scale,
        image.naturalHeight * scale,
      );
    }
}

/** Fetch what the view needs of a picture, so that it is there when it is painted from. */
export function prefetch(of: Tiles, view: View, onLoad: () => void) {
  const nowhere = { drawImage: () => undefined } as unknown as CanvasRenderingContext2D;
  drawTiles(nowhere, of, view, onLoad);
}

/** Draw a stroke's mask: white where it covers, as soft as the brush. */
export function drawMask(context: CanvasRenderingContext2D, path: Point[], brush: Brush, view: View) {
  const radius = brush.radius * view.scale;
  // A soft brush falls off over its radius: the line is drawn thinner by half of that and blurred.
  const blur = (radius * brush.softness) / 2.5;
  context.save();
  context.filter = blur > 0.5 ? `blur(${blur}px)` : "none";
  context.lineCap = "round";
  context.lineJoin = "round";
  context.strokeStyle = "white";
  context.lineWidth = Math.max(0.5, 2 * (radius - blur * 0.9));
  context.beginPath();
  path.forEach(([x, y], i) => {
    const at: Point = [view.x + x * view.scale, view.y + y * view.scale];
    if (i === 0) context.moveTo(...at);
    context.lineTo(at[0] + (path.length === 1 ? 0.01 : 0), at[1]);
  });
  context.stroke();
  context.restore();
}
