import type { Frame, Ladder, Merge, Plan, Take } from "../client/api";

/** What became of one rung. */
export type RungState = "planned" | "shot" | "left-out";

export interface Rung {
  index: number;
  /** µm from the first rung. */
  depth: number;
  state: RungState;
  frame: Frame | null;
  /** Part of the merged picture, relative to the largest, 0 to 1; null before a merge. */
  share: number | null;
}

export interface Gap {
  from: number;
  to: number;
}

export interface LadderDrawing {
  rungs: Rung[];
  /** Half of the stage travel over which one frame is sharp, µm. */
  halfBand: number;
  near: number;
  far: number;
  length: number;
  /** Stretches in which no kept frame is sharp. */
  gaps: Gap[];
  /** How many frames there are of which nobody knows where they lie. */
  unplaced: number;
}

/** What the ladder shows: the plan, filled up by a take and by a merge of it. */
export function drawing(plan: Plan, ladder: Ladder, take?: Take, merge?: Merge): LadderDrawing {
  const own = take?.series.rungs_um ?? [];
  const positions = own.length > 0 ? own : ladder.positions_um;
  const first = positions[0] ?? 0;
  const byRung = new Map<number, Frame>();
  for (const frame of take?.frames ?? []) {
    // Of several frames of one rung the kept one counts.
    const before = byRung.get(frame.rung ?? -1);
    if (!before || before.left_out) byRung.set(frame.rung ?? -1, frame);
  }
  // Frames that are still on the camera have no picture, but their rungs were shot.
  const pressed = new Set(take?.pressed);
  const used = merge?.report ? (merge.report.share as Record<string, number>) : null;
  const largest = used ? Math.max(...Object.values(used), 1e-9) : 1;
  const rungs = positions.map((position, index): Rung => {
    const frame = byRung.get(index) ?? null;
    const missing = used !== null && frame !== null && !(frame.name in used);
    return {
      index,
      depth: position - first,
      state: frame
        ? frame.left_out || missing
          ? "left-out"
          : "shot"
        : pressed.has(index)
          ? "shot"
          : "planned",
      frame,
      share: used && frame ? (used[frame.name] ?? 0) / largest : null,
    };
  });
  return {
    rungs,
    halfBand: ladder.sharp_depth_stage_um / 2,
    near: plan.near_um - first,
    far: ladder.far_um - first,
    length: rungs.at(-1)?.depth ?? 0,
    gaps: (take?.series.gaps ?? []).map((gap) => ({ from: gap.from_um - first, to: gap.to_um - first })),
    unplaced: own.length === 0 ? (take?.frames.filter((frame) => !frame.left_out).length ?? 0) : 0,
  };
}

/** Round distances for the axis, about eight of them. */
export function ticks(length: number): number[] {
  if (!(length > 0)) return [0];
  const rough = length / 8;
  const decade = 10 ** Math.floor(Math.log10(rough));
  const step = [1, 2, 5, 10].map((n) => n * decade).find((one) => one >= rough) ?? 10 * decade;
  return Array.from({ length: Math.floor(length / step + 1e-9) + 1 }, (_, i) => i * step);
}
