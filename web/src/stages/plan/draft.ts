import type { Part, Plan, Specimen, Subject } from "../../client/api";

/** A ladder's extent, spacing and count: two are set, the third follows. */
export type Group = "extent" | "spacing" | "count";
export type SetKnob = NonNullable<Plan["knob"]>;
export type Sharpness = Plan["sharpness"];
export type SharpnessKind = Sharpness["kind"];

export const GROUP_OF = {
  far_um: "extent",
  overlap_percent: "spacing",
  step_um: "spacing",
  frames: "count",
  budget_min: "count",
} as const;
export type Free = keyof typeof GROUP_OF;

/** A plan as it is being typed: any number may be missing for a moment. */
export interface Draft {
  near_um: number | null;
  far_um: number | null;
  overlap_percent: number | null;
  step_um: number | null;
  frames: number | null;
  budget_min: number | null;
  /** Groups that were set, the most recent last. */
  set: readonly Group[];
  spare_rungs: number | null;
  sharpness: SharpnessKind;
  pixels: number | null;
  screen_px: number | null;
  print_mm: number | null;
  distance_mm: number | null;
  circle_um: number | null;
  click_um: number | null;
  min_um: number | null;
  max_um: number | null;
  backlash_um: number | null;
  /** µm of one step of the body's own bracketing, with its uncertainty; null where a rail moves. */
  unit: { um: number; u: number } | null;
  /** The knob that is turned by hand, null where none is; and what it reads at the nearest point. */
  knob: Omit<SetKnob, "near_reading"> | null;
  near_reading: number | null;
  settle_s: number | null;
  exposure_s: number | null;
  recycle_s: number | null;
  transfer_s: number | null;
  frame_mb: number | null;
}

const START: Draft = {
  near_um: 0,
  far_um: 500,
  overlap_percent: 30,
  step_um: null,
  frames: null,
  budget_min: null,
  set: ["spacing", "extent"],
  spare_rungs: 2,
  sharpness: "wave",
  pixels: 2,
  screen_px: 1920,
  print_mm: 300,
  distance_mm: 400,
  circle_um: 30,
  click_um: 2.5,
  min_um: null,
  max_um: null,
  backlash_um: null,
  unit: null,
  knob: null,
  near_reading: 0,
  settle_s: 2,
  exposure_s: 0.2,
  recycle_s: 3,
  transfer_s: 0,
  frame_mb: 12,
};

/** A first draft: as deep as the label says the specimen is, where it says so. */
export function startOf({ depth_mm, medium_index }: Specimen): Draft {
  // Focus moves deeper in the medium than the stage does.
  return depth_mm ? { ...START, far_um: Math.round((1000 * depth_mm) / medium_index) } : START;
}

const MEGABYTE = 1e6;

export function draftOf(plan: Plan): Draft {
  const spaced = plan.overlap != null || plan.step_um != null;
  const counted = plan.frames != null || plan.budget_s != null;
  const far = plan.far_um ?? null;
  const usual = !spaced && !(counted && far !== null);
  const set: Group[] = [];
  if (spaced || usual) set.push("spacing");
  if (counted) set.push("count");
  if (far !== null) set.push("extent");
  const { sharpness } = plan;
  return {
    ...START,
    near_um: plan.near_um,
    far_um: far,
    overlap_percent: usual ? 30 : plan.overlap != null ? Number((plan.overlap * 100).toFixed(6)) : null,
    step_um: plan.step_um ?? null,
    frames: plan.frames ?? null,
    budget_min: plan.budget_s != null ? plan.budget_s / 60 : null,
    set,
    spare_rungs: plan.spare_rungs,
    sharpness: sharpness.kind,
    ...(sharpness.kind === "pixels" && { pixels: sharpness.count }),
    ...(sharpness.kind === "screen" && { screen_px: sharpness.width_px }),
    ...(sharpness.kind === "print" && { print_mm: sharpness.width_mm, distance_mm: sharpness.distance_mm }),
    ...(sharpness.kind === "circle" && { circle_um: sharpness.circle_um }),
    click_um: plan.rail?.click_um ?? null,
    min_um: plan.rail?.min_um ?? null,
    max_um: plan.rail?.max_um ?? null,
    backlash_um: plan.rail?.backlash_um || null,
    unit: plan.focus_unit ? { um: plan.focus_unit.um_per_unit, u: plan.focus_unit.u_um_per_unit } : null,
    ...(plan.knob && knobOf(plan.knob)),
    settle_s: plan.timing.settle_s,
    exposure_s: plan.timing.exposure_s,
    recycle_s: plan.timing.recycle_s,
    transfer_s: plan.timing.transfer_s,
    frame_mb: plan.bytes_per_frame / MEGABYTE,
  };
}

function knobOf({ near_reading, ...knob }: SetKnob): Pick<Draft, "knob" | "near_reading"> {
  return { knob, near_reading };
}

/** Set one of the fields that hang together. A third one frees the one that was set longest ago. */
export function withSet(draft: Draft, field: Free, value: number | null): Draft {
  const group = GROUP_OF[field];
  const next: Draft = { ...draft, [field]: value };
  const partners = (Object.keys(GROUP_OF) as Free[]).filter(
    (one) => GROUP_OF[one] === group && one !== field,
  );
  if (value === null) {
    const kept = partners.some((one) => next[one] !== null);
    return kept ? next : { ...next, set: draft.set.filter((one) => one !== group) };
  }
  for (const partner of partners) next[partner] = null;
  const order = [...draft.set.filter((one) => one !== group), group];
  const freed = order.length > 2 ? order[0] : undefined;
  for (const one of Object.keys(GROUP_OF) as Free[]) if (GROUP_OF[one] === freed) next[one] = null;
  return { ...next, set: order.filter((one) => one !== freed) };
}

/** What worked before, as a plan takes it over; null where nothing is proposed. */
export interface Proposed {
  far_um: number;
  overlap_percent: number | null;
  spare_rungs: number | null;
}

/** A draft that reaches so deep, at the overlap and with the spare rungs that are proposed. */
export function withProposed(draft: Draft, { far_um, overlap_percent, spare_rungs }: Proposed): Draft {
  const deep = withSet(draft, "far_um", far_um);
  const lapped = overlap_percent === null ? deep : withSet(deep, "overlap_percent", overlap_percent);
  return spare_rungs === null ? lapped : { ...lapped, spare_rungs };
}

/** Which of the groups follows from the others, or null while too few are set. */
export function computedGroup(draft: Draft): Group | null {
  const missing = (["extent", "spacing", "count"] as const).filter((one) => !draft.set.includes(one));
  return missing.length === 1 ? (missing[0] ?? null) : null;
}

/** A rail of the parts shelf, a flash, a body: what they say about a ladder. */
export function withParts(draft: Draft, parts: readonly Part[], names: Record<string, string>): Draft {
  let next = draft;
  for (const { name, part } of parts) {
    if (names[part.kind] !== name) continue;
    if (part.kind === "rail")
      next = {
        ...next,
        click_um: part.click_um,
        min_um: part.min_um ?? null,
        max_um: part.max_um ?? null,
        backlash_um: part.backlash_um || null,
      };
    if (part.kind === "light") next = { ...next, recycle_s: part.recycle_s };
    if (part.kind === "body") next = { ...next, transfer_s: part.transfer_s };
  }
  return next;
}

/** A first draft on this rail: its ends unknown yet, but within its travel. */
export function within(draft: Draft): Draft {
  const { min_um, max_um } = draft;
  if (min_um === null || max_um === null) return draft;
  const near_um = Math.round((min_um + max_um) / 2);
  return { ...draft, near_um, far_um: near_um + ((draft.far_um ?? 0) - (draft.near_um ?? 0)) };
}

function sharpnessOf(draft: Draft): Sharpness | null {
  const { pixels, screen_px, print_mm, distance_mm, circle_um } = draft;
  switch (draft.sharpness) {
    case "wave":
      return { kind: "wave" };
    case "pixels":
      return pixels === null ? null : { kind: "pixels", count: pixels };
    case "screen":
      return screen_px === null ? null : { kind: "screen", width_px: screen_px };
    case "print":
      return print_mm === null || distance_mm === null
        ? null
        : { kind: "print", width_mm: print_mm, distance_mm };
    case "circle":
      return circle_um === null ? null : { kind: "circle", circle_um };
  }
}

/** The draft as the server takes it, or null while a needed number is missing. */
export function planOf(draft: Draft): Plan | null {
  const { near_um, spare_rungs, settle_s, exposure_s, recycle_s, frame_mb, click_um, min_um, max_um } = draft;
  const sharpness = sharpnessOf(draft);
  if (near_um === null || spare_rungs === null || settle_s === null || exposure_s === null) return null;
  if (recycle_s === null || frame_mb === null || sharpness === null) return null;
  if (computedGroup(draft) === null) return null;
  if (draft.knob && draft.near_reading === null) return null;
  const rail =
    draft.unit || draft.knob
      ? { min_um, max_um, backlash_um: draft.backlash_um ?? 0 }
      : { click_um, min_um, max_um, backlash_um: draft.backlash_um ?? 0 };
  // A click of 0 is an entry, and refused; no backlash is none.
  const anything = Object.entries(rail).some(
    ([key, one]) => one !== null && (one !== 0 || key === "click_um"),
  );
  return {
    near_um,
    far_um: draft.far_um,
    overlap: draft.overlap_percent === null ? null : draft.overlap_percent / 100,
    step_um: draft.step_um,
    frames: draft.frames,
    budget_s: draft.budget_min === null ? null : draft.budget_min * 60,
    spare_rungs,
    sharpness,
    rail: anything ? rail : null,
    focus_unit: draft.unit ? { um_per_unit: draft.unit.um, u_um_per_unit: draft.unit.u } : null,
    knob: draft.knob ? { ...draft.knob, near_reading: draft.near_reading ?? 0 } : null,
    timing: { settle_s, exposure_s, recycle_s, transfer_s: draft.transfer_s ?? 0 },
    bytes_per_frame: Math.round(frame_mb * MEGABYTE),
  };
}

export const subjectOf = (label: Subject): Subject => ({
  width_mm: label.width_mm ?? null,
  height_mm: label.height_mm ?? null,
  depth_mm: label.depth_mm ?? null,
});
