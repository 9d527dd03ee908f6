import type { Merge } from "../../client/api";
import { depthRange } from "../../specimen/figures";

export const METHODS = { pyramid: "Pyramid", select: "Depth pick", blend: "Contrast blend" } as const;
export type Method = keyof typeof METHODS;

/** What a merge reports, as far as the pages show it. */
export interface Report {
  crop: { x: number; y: number; width: number; height: number };
  frames_used: string[];
  excluded: Array<{ file: string; reason: string }>;
  coverage: { gaps: Array<{ after_frame: string; before_frame: string }>; depth_known: number };
  registration: Array<{ file: string; matrix: number[][] }>;
  seconds: number;
  settings: { order: "near-first" | "far-first"; order_from: string };
  warnings?: string[];
}

export const reportOf = (merge: Merge) => merge.report as unknown as Report;

export const title = (merge: Merge) =>
  `${METHODS[merge.method as Method] ?? merge.method}, run ${merge.number}`;

export const depthLabel = (merge: Merge) => `Depth, ${depthRange(merge)}, ${title(merge).toLowerCase()}`;

/** In which order the frames were taken, and whether that is merely assumed. */
export function orderText({ settings: { order, order_from } }: Report): string {
  const assumed = order_from.startsWith("assumed") ? ", assumed" : "";
  return `${order === "near-first" ? "near first" : "far first"}${assumed}`;
}

/** How far the alignment moved the middle of any frame. */
export function largestShift(report: Report): number {
  return Math.max(
    0,
    ...report.registration.map(({ matrix }) => Math.hypot(matrix[0]?.[2] ?? 0, matrix[1]?.[2] ?? 0)),
  );
}
