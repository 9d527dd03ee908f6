import type { MeasureKind, Tried } from "../../client/api";

export type Point = [number, number];
export type Kind = Tried["kind"];

/** What kinds of measures are called, and what is to be picked for them. */
export const KINDS: Record<Kind, { label: string; pick: string }> = {
  length: { label: "Length", pick: "Pick both ends, or more places of a line." },
  angle: { label: "Angle", pick: "Pick one leg, the corner, the other leg." },
  circle: { label: "Circle, radius", pick: "Pick three or more places on the circle." },
  area: { label: "Area", pick: "Pick the outline, place by place." },
  count: { label: "Count", pick: "Pick each thing once." },
  length_3d: { label: "True length", pick: "Pick both ends: they are joined through space." },
  length_surface: { label: "Along the surface", pick: "Pick both ends, or more places of the way." },
  height: { label: "Height", pick: "Pick two places: how much deeper the second lies." },
  angle_3d: { label: "True angle", pick: "Pick one leg, the corner, the other leg." },
  profile: { label: "Profile", pick: "Pick both ends of the section." },
  tilt: { label: "Tilt of a face", pick: "Pick the face's outline." },
  dihedral: { label: "Face against face", pick: "Pick the outline of one face, then of the other." },
  sphere: { label: "Sphere, radius", pick: "Pick an outline on the sphere." },
  area_surface: { label: "Area of the surface", pick: "Pick the outline." },
  volume: { label: "Volume", pick: "Pick the rim: the volume lies between the surface and its plane." },
  roughness: { label: "Roughness, Sq", pick: "Pick the outline of what should be a plane." },
  roughness_line: { label: "Line roughness, Pq", pick: "Pick both ends of the line." },
};
/** Kinds that may be dragged from one end to the other. */
export const LINES: ReadonlySet<Kind> = new Set<Kind>([
  "length",
  "length_3d",
  "length_surface",
  "height",
  "profile",
  "roughness_line",
]);
export const ORDER = Object.keys(KINDS) as Kind[];

/** Whether these places suffice for a value. */
export function enough(kind: MeasureKind, points: Point[], second: Point[]): boolean {
  return points.length >= kind.least && (kind.kind !== "dihedral" || second.length >= kind.least);
}

/** Whether one more place can be picked. */
export const full = (kind: MeasureKind, points: Point[]) => kind.most !== null && points.length >= kind.most;

/** A value with its expanded uncertainty, as one reads it. */
export function stated(value: number | null, expanded: number | null, unit: string): string {
  if (value === null) return "not known";
  const places = decimals(expanded ?? 0);
  const sure = expanded ? ` ± ${figure(expanded, places)}` : "";
  return `${figure(value, places)}${sure}${unit ? ` ${unit}` : ""}`;
}

function decimals(expanded: number): number {
  return expanded > 0 ? Math.min(6, Math.max(0, 1 - Math.floor(Math.log10(expanded)))) : 0;
}

const figure = (value: number, places: number) =>
  value.toLocaleString("en-GB", { minimumFractionDigits: places, maximumFractionDigits: places });

/** What the server says, as a sentence. */
export const sentence = (words: string) =>
  `${words.charAt(0).toUpperCase()}${words.slice(1)}${words.endsWith(".") ? "" : "."}`;
