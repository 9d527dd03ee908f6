import type { Merge } from "../client/api";
import { depthRange } from "./figures";

export const METHODS = {
  auto: "Auto",
  pyramid: "Pyramid",
  select: "Depth pick",
  blend: "Contrast blend",
} as const;
const LAID = "Tiles";
/** As the server has it: over which the pyramid compares detail. */
export const USUAL_WINDOW_PX = 2.2;
export type Method = keyof typeof METHODS;

/** What moved while the stack was shot is shown from one side of the movement. */
export const MOVED = {
  auto: "Where it is in focus",
  near: "By the nearer frames",
  far: "By the farther frames",
} as const;
export type Moved = keyof typeof MOVED;

/** A place to look at, and what to do about it. Merges of earlier versions have none. */
export interface Finding {
  kind: "gap" | "end" | "moved" | "soft" | "noise" | "dust" | "streak" | "alignment" | "seam";
  x: number;
  y: number;
  width: number;
  height: number;
  files: string[];
  size: number;
  unit: "µm" | "px";
  do: string;
}

export const FINDINGS: Record<Finding["kind"], string> = {
  gap: "Rungs missing",
  end: "End not reached",
  moved: "Something moved",
  soft: "Out of focus as shown",
  noise: "Grain",
  dust: "Dust on the sensor",
  streak: "Dots that glow",
  alignment: "Alignment doubtful",
  seam: "Seam",
};

/** Where rungs are lacking that can still be shot while the specimen lies there. */
export function lacking(one: Finding, report: Report): "near" | "far" | "between" | undefined {
  if (one.kind === "gap") return "between";
  if (one.kind !== "end") return undefined;
  const first = one.files[0] === report.frames_used[0];
  return first === (report.settings.order === "near-first") ? "near" : "far";
}

/** Whether it concerns a part of the picture: an outline around all of it would point nowhere. */
export const isPlace = (one: Finding, { crop }: Report) =>
  one.width * one.height < 0.9 * crop.width * crop.height;

/** What a merge reports, as far as the pages show it. */
export interface Report {
  crop: { x: number; y: number; width: number; height: number };
  frames_used: string[];
  excluded: Array<{ file: string; reason: string }>;
  coverage: { gaps: Array<{ after_frame: string; before_frame: string }>; depth_known: number };
  registration: Array<{ file: string; matrix: number[][] }>;
  seconds: number;
  settings: {
    order: "near-first" | "far-first";
    order_from: string;
    window_px?: number;
    calm?: number;
    sharp_near_um?: number | null;
    sharp_far_um?: number | null;
    moved?: Moved;
  };
  gave?: Record<string, number>;
  findings?: Finding[];
  warnings?: string[];
}

export const reportOf = (merge: Merge) => merge.report as unknown as Report;

/** A way to merge by its name; one of a later version by its own word. */
export const methodName = (method: string) =>
  METHODS[method as Method] ?? (method === "tiles" ? LAID : method);

export const title = (merge: Merge) => `${methodName(merge.method)}, run ${merge.number}`;

export const depthLabel = (merge: Merge) => `Depth, ${depthRange(merge)}, ${title(merge).toLowerCase()}`;

/** In which order the frames were taken, and whether that is merely assumed. */
export function orderText({ settings: { order, order_from } }: Report): string {
  const assumed = order_from.startsWith("assumed") ? ", assumed" : "";
  return `${order === "near-first" ? "near first" : "far first"}${assumed}`;
}

/** What was set beyond the way to merge, and what auto used where; empty for the usual. */
export function settingsText({ settings, gave }: Report): string {
  const {
    window_px = USUAL_WINDOW_PX,
    calm = 0,
    sharp_near_um: near,
    sharp_far_um: far,
    moved = "auto",
  } = settings;
  const pyramid = gave?.pyramid;
  return [
    pyramid !== undefined && pyramid < 1 ? `pyramid in ${Math.round(100 * pyramid)} %` : "",
    window_px === USUAL_WINDOW_PX ? "" : `window ${window_px} px`,
    calm === 0 ? "" : `calm ${calm}`,
    near == null && far == null ? "" : `sharp ${near ?? 0} to ${far ?? "the end"} µm`,
    moved === "auto" ? "" : `what moved ${MOVED[moved].toLowerCase()}`,
  ]
    .filter(Boolean)
    .join(", ");
}

/** What is said beside the findings: a doubtful alignment is one of them. */
export const otherWarnings = ({ findings, warnings }: Report): string[] =>
  (warnings ?? []).filter((one) => !findings || !one.startsWith("alignment doubtful"));

/** How far the alignment moved the middle of any frame. */
export function largestShift(report: Report): number {
  return Math.max(
    0,
    ...report.registration.map(({ matrix }) => Math.hypot(matrix[0]?.[2] ?? 0, matrix[1]?.[2] ?? 0)),
  );
}
