import type { Mend, Step } from "../../client/api";
import { percent, plural, px } from "../../lib/numbers";

export type Point = [number, number];
export type Tool = "paint" | "part" | "erase" | "heal" | "ground" | "tone" | "crop" | "move";

export interface Brush {
  radius: number;
  softness: number;
  strength: number;
}

/** Where arrow keys point. */
export const ARROWS: Record<string, Point> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};

export const LEAST_RADIUS = 1;
export const MOST_RADIUS = 400;
/** As painters like it: soft, and not quite opaque. */
export const USUAL: Brush = { radius: 24, softness: 1, strength: 0.85 };
export const UNTOUCHED = "0";

/** What a tile of the picture made smaller by 2 to the level shows, from the tiles below it (as the server names it). */
export function blockKey(tiles: Mend["tiles"], level: number, column: number, row: number): string {
  const count = 2 ** level;
  const below = tiles
    .slice(row * count, (row + 1) * count)
    .flatMap((line) => line.slice(column * count, (column + 1) * count));
  if (below.length === 1 && below[0]) return below[0];
  if (below.every((key) => key === UNTOUCHED)) return UNTOUCHED;
  let hash = 0x811c9dc5;
  for (const letter of below.join(",")) hash = Math.imul(hash ^ letter.charCodeAt(0), 0x01000193);
  return (hash >>> 0).toString(16).padStart(8, "0");
}

/** How many times the picture can be halved until it fits into one tile. */
export function levels(width: number, height: number, tile: number): number {
  return Math.max(0, Math.ceil(Math.log2(Math.max(width, height) / tile)));
}

/** A brush with one of its sides changed, kept to what makes sense. */
export function changed(brush: Brush, by: { size?: number; softness?: number; strength?: number }): Brush {
  const within = (value: number, least: number, most: number) => Math.min(most, Math.max(least, value));
  return {
    radius: Math.round(within(brush.radius * (by.size ?? 1), LEAST_RADIUS, MOST_RADIUS) * 10) / 10,
    softness: Math.round(within(brush.softness + (by.softness ?? 0), 0, 1) * 100) / 100,
    strength: Math.round(within(brush.strength + (by.strength ?? 0), 0.05, 1) * 100) / 100,
  };
}

/** Fewer points that lie as well: none farther than a tenth of the radius from the way. */
export function thinned(path: Point[], radius: number): Point[] {
  const least = Math.max(0.5, radius / 10);
  const kept = path.filter((at, i) => {
    const before = path[i - 1];
    return !before || i === path.length - 1 || Math.hypot(at[0] - before[0], at[1] - before[1]) > 0;
  });
  if (kept.length < 3) return kept;
  const [first, last] = [kept[0] as Point, kept.at(-1) as Point];
  const length = Math.hypot(last[0] - first[0], last[1] - first[1]);
  const off = kept.map(([x, y]) =>
    length === 0
      ? Math.hypot(x - first[0], y - first[1])
      : Math.abs((last[0] - first[0]) * (y - first[1]) - (last[1] - first[1]) * (x - first[0])) / length,
  );
  const worst = off.indexOf(Math.max(...off));
  if ((off[worst] ?? 0) <= least) return [first, last];
  return [...thinned(kept.slice(0, worst + 1), radius).slice(0, -1), ...thinned(kept.slice(worst), radius)];
}

export const rounded = (path: Point[]): Point[] =>
  path.map(([x, y]) => [Math.round(x * 10) / 10, Math.round(y * 10) / 10]);

/** A stroke, by its brush, as STEPS.json has it. */
export const stroke = (path: Point[], brush: Brush, pressure = 1) => ({
  path: rounded(thinned(path, brush.radius)),
  radius_px: brush.radius,
  softness: brush.softness,
  strength: Math.max(0.01, Math.round(brush.strength * pressure * 1000) / 1000),
});

export const STATES = {
  open: "to look at",
  mended: "mended",
  fine: "fine as it is",
  left: "left",
} as const;

export const PLACES: Record<string, string> = {
  moved: "moved",
  soft: "soft",
  halo: "halo",
  dust: "dust",
  streak: "glowing dots",
};

const GROUNDS: Record<string, string> = { black: "black", white: "white", darker: "darker" };

/** A step as one says it, and what is to be known of it beside. `rung` names the rung of a frame. */
export function words(
  step: Step,
  said: Record<string, unknown>,
  rung: (file: string) => string,
): { what: string; beside: string } {
  switch (step.kind) {
    case "from_frame":
      return { what: `Paint, ${rung(String(step.file))}`, beside: fit(said) };
    case "from_merge":
      return { what: "Paint, another merge", beside: fit(said) };
    case "erase":
      return { what: "Eraser", beside: "" };
    case "heal":
      return { what: "Healed", beside: "not evidence" };
    case "dust": {
      const spots = (said.spots as Array<{ replaced: boolean }> | undefined) ?? [];
      return { what: `Dust, ${plural(spots.filter((one) => one.replaced).length, "spot")}`, beside: "" };
    }
    case "ground": {
      const to = step.to ?? "black";
      const where = step.like
        ? "like a place"
        : step.plain
          ? "plain, without depth"
          : `beyond ${step.farther_than_um} µm`;
      return { what: `Ground ${typeof to === "string" ? `to ${GROUNDS[to]}` : "to grey"}`, beside: where };
    }
    case "tone":
      return { what: "Tone", beside: step.path ? "by brush" : "over all" };
    case "sharpen":
      return {
        what: `Sharpened, ${px(Number(step.radius_px))}`,
        beside: step.path ? "by brush" : "over all",
      };
    case "contrast":
      return { what: "Local contrast", beside: step.path ? "by brush" : "over all" };
    case "crop":
      return { what: "Crop", beside: said.lost === undefined ? "" : `${percent(Number(said.lost))} lost` };
    default:
      return { what: step.kind, beside: "" };
  }
}

/** How a patch was laid, in words. */
function fit(said: Record<string, unknown>): string {
  if (said.aligned === undefined) return "as placed";
  if (!said.aligned) return "place not told";
  const [x = 0, y = 0] = (said.shift_px as number[] | undefined) ?? [];
  return `aligned ${px(Math.hypot(x, y))}`;
}
