import type { Figure, Merge, Stack, Take } from "../client/api";
import { digits, fNumber, percent, times, trimmed, um } from "../lib/numbers";

/** Figures of a stack as every stage and place words them. What nobody knows is said to be unknown. */
export const NOT_KNOWN = "not known";

/** A computed figure with its unit. */
export function figureText(figure: Pick<Figure, "values" | "unit">): string {
  const values = figure.values.map((value) => trimmed(digits(value, 3))).join(" × ");
  return figure.unit === "f/" ? `f/${values}` : `${values} ${figure.unit}`.trim();
}

type Optics = Stack["optics"];

export const magnification = (optics: Optics) => `${times(optics.magnification)} ${optics.pixel_origin}`;

export const aperture = (optics: Optics) =>
  `${fNumber(optics.effective_f_number)}, NA ${trimmed(optics.numerical_aperture.toPrecision(3))}`;

/** The step of the frames as they lie, and what that rests on; beside it the planned one where they are unknown. */
export function step(stack: Stack, take: Take): string {
  const { step_um, overlap, depth_from } = take.series;
  if (step_um === null || overlap === null) return `${NOT_KNOWN}; planned ${um(stack.ladder.step_um)}`;
  const from = depth_from === "reported" ? "as the rail reported" : "as planned, not measured";
  return `${um(step_um)}, overlap ${percent(overlap)}, ${from}`;
}

/** How deep a merge goes. */
export const depthText = (merge: Merge) => (merge.depth_um === null ? NOT_KNOWN : um(merge.depth_um));
export const depthRange = (merge: Merge) =>
  merge.depth_um === null ? "in frames" : `over ${um(merge.depth_um)}`;
