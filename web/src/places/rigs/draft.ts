import type { RigDefinition, Schemas } from "../../client/api";

export type Kind = "lens" | "infinity_objective" | "measured";
type Entry = Schemas["RigEntry"];

interface Part {
  key: string;
  label: string;
  unit?: string;
  hint?: string;
  optional?: boolean;
}

export const KINDS: ReadonlyArray<{ value: Kind; label: string }> = [
  { value: "infinity_objective", label: "Infinity objective on a tube lens" },
  { value: "lens", label: "Camera lens" },
  { value: "measured", label: "Measured, whatever it is" },
];

/** What is entered for each kind of train, in the order in which one reads it off. */
export const PARTS: Record<Kind, readonly Part[]> = {
  infinity_objective: [
    { key: "nominal_magnification", label: "Magnification engraved on it", unit: "×" },
    { key: "na", label: "Numerical aperture engraved on it", unit: "NA" },
    { key: "design_tube_mm", label: "Tube lens it is made for", unit: "mm" },
    { key: "tube_mm", label: "Tube lens in use", unit: "mm" },
    { key: "tube_f_number", label: "Iris of the tube lens, if it has one", unit: "f/", optional: true },
  ],
  lens: [
    { key: "f_number", label: "Marked aperture", unit: "f/" },
    { key: "magnification", label: "Magnification set on the lens", unit: "×" },
    {
      key: "pupil_magnification",
      label: "Pupil magnification",
      hint: "Exit over entrance pupil. Left empty, it is guessed as 1.",
      optional: true,
    },
    { key: "focal_mm", label: "Focal length", unit: "mm", optional: true },
    { key: "extension_mm", label: "Extension tubes", unit: "mm", optional: true },
    { key: "teleconverter", label: "Teleconverter", unit: "×", optional: true },
  ],
  measured: [
    { key: "magnification", label: "Measured magnification", unit: "×" },
    {
      key: "na",
      label: "Numerical aperture",
      unit: "NA",
      hint: "This or the next, one of the two.",
      optional: true,
    },
    { key: "effective_f_number", label: "Effective aperture", unit: "f/", optional: true },
  ],
};

export const SENSOR: readonly Part[] = [
  { key: "width_px", label: "Sensor width", unit: "px" },
  { key: "height_px", label: "Sensor height", unit: "px" },
  { key: "pixel_um", label: "Pixel pitch", unit: "µm" },
];

export interface Draft {
  name: string;
  kind: Kind;
  sensor: Record<string, number | null>;
  train: Record<string, number | null>;
}

const START: Record<Kind, Record<string, number>> = {
  infinity_objective: { nominal_magnification: 5, na: 0.14, design_tube_mm: 200, tube_mm: 200 },
  lens: { f_number: 4, magnification: 1 },
  measured: { magnification: 5, na: 0.14 },
};

export function draftOf(name: string, rig: RigDefinition | null): Draft {
  if (!rig)
    return {
      name,
      kind: "infinity_objective",
      sensor: { width_px: 6000, height_px: 4000, pixel_um: 3.76 },
      train: START.infinity_objective,
    };
  const { kind, ...train } = rig.train;
  return {
    name,
    kind: kind as Kind,
    sensor: { ...rig.sensor },
    train: train as Record<string, number | null>,
  };
}

/** Another kind of train; what both kinds have is kept. */
export function withKind(draft: Draft, kind: Kind): Draft {
  const kept = Object.fromEntries(
    PARTS[kind]
      .filter((part) => part.key in draft.train)
      .map((part) => [part.key, draft.train[part.key] ?? null]),
  );
  return { ...draft, kind, train: { ...START[kind], ...kept } };
}

/** The draft as the server takes it, or null while a needed number is missing. */
export function entryOf(draft: Draft): Entry | null {
  const needed = [...SENSOR.map((part) => draft.sensor[part.key])];
  needed.push(...PARTS[draft.kind].filter((part) => !part.optional).map((part) => draft.train[part.key]));
  if (needed.some((value) => value === null || value === undefined)) return null;
  const train = Object.fromEntries(
    PARTS[draft.kind]
      .map((part) => [part.key, draft.train[part.key] ?? null])
      .filter(([, value]) => value !== null),
  );
  return {
    name: draft.name,
    sensor: draft.sensor,
    train: { kind: draft.kind, ...train },
  } as unknown as Entry;
}
