import type { Plan } from "../../client/api";

/** A plan as it is being typed: any number may be missing for a moment. */
export interface Draft {
  near_um: number | null;
  far_um: number | null;
  overlap_percent: number | null;
  spare_rungs: number | null;
  click_um: number | null;
  settle_s: number | null;
  exposure_s: number | null;
  recycle_s: number | null;
  frame_mb: number | null;
}

export const START: Draft = {
  near_um: 0,
  far_um: 500,
  overlap_percent: 30,
  spare_rungs: 2,
  click_um: 2.5,
  settle_s: 2,
  exposure_s: 0.2,
  recycle_s: 3,
  frame_mb: 12,
};

const MEGABYTE = 1e6;

export function draftOf(plan: Plan): Draft {
  return {
    near_um: plan.near_um,
    far_um: plan.far_um,
    overlap_percent: Number(((plan.overlap ?? 0.3) * 100).toFixed(6)),
    spare_rungs: plan.spare_rungs ?? 2,
    click_um: plan.rail?.click_um ?? null,
    settle_s: plan.timing?.settle_s ?? 1,
    exposure_s: plan.timing?.exposure_s ?? 0.1,
    recycle_s: plan.timing?.recycle_s ?? 0,
    frame_mb: (plan.bytes_per_frame ?? 0) / MEGABYTE,
  };
}

/** The draft as the server takes it, or null while a needed number is missing. */
export function planOf(draft: Draft): (Plan & Required<Pick<Plan, "timing">>) | null {
  const { click_um, ...needed } = draft;
  if (Object.values(needed).some((value) => value === null)) return null;
  const full = needed as { [K in keyof typeof needed]: number };
  return {
    near_um: full.near_um,
    far_um: full.far_um,
    overlap: full.overlap_percent / 100,
    spare_rungs: full.spare_rungs,
    rail: click_um === null ? null : { click_um },
    timing: { settle_s: full.settle_s, exposure_s: full.exposure_s, recycle_s: full.recycle_s },
    bytes_per_frame: Math.round(full.frame_mb * MEGABYTE),
  };
}
