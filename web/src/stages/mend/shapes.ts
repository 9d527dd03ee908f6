import type { Mend, Step } from "../../client/api";
import type { Box } from "../../pictures/Viewer";
import { reportOf } from "../../specimen/report";
import type { Finished } from "../../specimen/stack";
import type { stroke } from "./steps";

/** What a brush does to tones and detail. */
export type Brushed = "sharpen" | "contrast" | "brighten" | "darken";

/** The frames of a merge, nearest first, as rungs to paint from. */
export function asRack({ take, merge }: Finished) {
  const placed = [...(reportOf(merge).registration as Array<{ file: string; depth?: number }>)];
  placed.sort((one, two) => (one.depth ?? 0) - (two.depth ?? 0));
  return placed.flatMap(({ file }) => {
    const frame = take.frames.find((one) => one.name === file);
    if (!frame) return [];
    const label = frame.rung === null ? frame.name : `rung ${frame.rung + 1}`;
    return [{ id: frame.id, name: file, rung: frame.rung, label }];
  });
}

export function rackWaits({ rack }: Mend): string | null {
  if (rack.spots) return null;
  if (rack.task?.state === "failed") return `Which rung is sharpest is not known: ${rack.task.message}`;
  return "The frames are being looked at: which is sharpest where is known in a moment.";
}

const BY_BRUSH: Record<Brushed, Step> = {
  sharpen: { kind: "sharpen", amount: 0.8 },
  contrast: { kind: "contrast", radius_px: 40, amount: 0.4 },
  brighten: { kind: "tone", gamma: 1.25 },
  darken: { kind: "tone", gamma: 0.8 },
};

export function byBrush(what: Brushed, { radius_px, ...laid }: ReturnType<typeof stroke>, mend: Mend): Step {
  const step = { ...BY_BRUSH[what], ...laid, brush_px: radius_px };
  return what === "sharpen" ? { ...step, radius_px: mend.sharpen_px } : step;
}

/** A box within the picture, in whole pixels. */
export function kept(box: Box, { width_px, height_px }: Mend): Box | null {
  const [x, y] = [Math.max(0, Math.round(box.x)), Math.max(0, Math.round(box.y))];
  const width = Math.min(width_px, Math.round(box.x + box.width)) - x;
  const height = Math.min(height_px, Math.round(box.y + box.height)) - y;
  return width >= 16 && height >= 16 ? { x, y, width, height } : null;
}

/** The largest box of a shape about the middle of one, within it; of all the picture where none was drawn. */
export function shaped(box: Box | null, ratio: number | null, mend: Mend): Box | null {
  const from = box ?? { x: 0, y: 0, width: mend.width_px, height: mend.height_px };
  if (ratio === null) return from;
  const width = Math.min(from.width, from.height * ratio);
  const height = width / ratio;
  const [x, y] = [from.x + (from.width - width) / 2, from.y + (from.height - height) / 2];
  return kept({ x, y, width, height }, mend);
}

export const asCrop = ({ x, y, width, height }: Box, turn: number): Step => ({
  kind: "crop",
  x,
  y,
  width,
  height,
  ...(turn === 0 ? {} : { turn_deg: Math.round(turn * 10) / 10 }),
});
