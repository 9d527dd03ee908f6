import type { Part, RigDefinition, Schemas } from "../../client/api";

export type Kind = RigDefinition["train"]["kind"];
export type PartKind = Part["part"]["kind"];
type Entry = Schemas["RigEntry"];
type Numbers = Record<string, number | null>;

export interface Entered {
  key: string;
  label: string;
  unit?: string;
  hint?: string;
  optional?: boolean;
}

export const KINDS: ReadonlyArray<{ value: Kind; label: string }> = [
  { value: "infinity_objective", label: "Infinity objective on a tube lens" },
  { value: "finite_objective", label: "Finite objective on a tube" },
  { value: "lens", label: "Camera lens" },
  { value: "coupled", label: "Lens reversed on another" },
  { value: "measured", label: "Measured, whatever it is" },
];

const MAGNIFICATION = { key: "nominal_magnification", label: "Magnification engraved on it", unit: "×" };
const NA = { key: "na", label: "Numerical aperture engraved on it", unit: "NA" };

/** What is entered for each kind of train, in the order in which one reads it off. */
export const TRAINS: Record<Kind, readonly Entered[]> = {
  infinity_objective: [
    MAGNIFICATION,
    NA,
    { key: "design_tube_mm", label: "Tube lens it is made for", unit: "mm" },
    { key: "tube_mm", label: "Tube lens in use", unit: "mm" },
    { key: "tube_f_number", label: "Iris of the tube lens, if any", unit: "f/", optional: true },
  ],
  finite_objective: [
    MAGNIFICATION,
    NA,
    { key: "design_tube_mm", label: "Tube it is made for", unit: "mm" },
    { key: "tube_mm", label: "Tube in use", unit: "mm" },
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
  coupled: [
    { key: "rear_focal_mm", label: "Focal length, lens on the camera", unit: "mm" },
    { key: "rear_f_number", label: "Aperture, lens on the camera", unit: "f/" },
    { key: "front_focal_mm", label: "Focal length, reversed lens", unit: "mm" },
    { key: "front_f_number", label: "Aperture, reversed lens", unit: "f/" },
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

export const SENSOR: readonly Entered[] = [
  { key: "width_px", label: "Sensor width", unit: "px" },
  { key: "height_px", label: "Sensor height", unit: "px" },
  { key: "pixel_um", label: "Pixel pitch", unit: "µm" },
];

export const AROUND: readonly Entered[] = [
  { key: "working_distance_mm", label: "Working distance", unit: "mm", optional: true },
  { key: "image_circle_mm", label: "Image circle on the sensor", unit: "mm", optional: true },
];

/** What was measured on the rig and stands above what its parts compute to. */
export const MEASURED: readonly Entered[] = [
  { key: "magnification", label: "Measured magnification", unit: "×", optional: true },
  { key: "na", label: "Measured numerical aperture", unit: "NA", optional: true },
  { key: "effective_f_number", label: "or measured effective aperture", unit: "f/", optional: true },
];

/** A knob that moves focus by hand: what is engraved on it. */
export const KNOB: readonly Entered[] = [
  { key: "um_per_division", label: "One division moves focus by", unit: "µm", optional: true },
  { key: "divisions_per_turn", label: "Divisions in a turn", optional: true },
  {
    key: "finest",
    label: "Can be set to",
    unit: "div",
    hint: "The smallest part of a division that a hand can set.",
    optional: true,
  },
  {
    key: "u_um_per_division",
    label: "Uncertainty of a division",
    unit: "µm",
    hint: "Empty for a scale that is only engraved. A ramp measures it, under Calibrations.",
    optional: true,
  },
];
export type Knob = NonNullable<RigDefinition["knob"]>;

/** Which parts a train is put together from. */
export const BUILT_FROM: Record<Kind, readonly PartKind[]> = {
  infinity_objective: ["body", "objective", "tube", "rail", "light"],
  finite_objective: ["body", "objective", "tube", "rail", "light"],
  lens: ["body", "lens", "rail", "light"],
  coupled: ["body", "rail", "light"],
  measured: ["body", "rail", "light"],
};

export const PART_NAMES: Record<PartKind, string> = {
  body: "Body",
  lens: "Lens",
  objective: "Objective",
  tube: "Tube",
  rail: "Rail",
  light: "Light",
};

export interface Draft {
  name: string;
  kind: Kind;
  sensor: Numbers;
  train: Numbers;
  around: Numbers;
  measured: Numbers;
  knob: Numbers;
  knobRuns: Pick<Knob, "farther" | "moves">;
  /** The measured scale's uncertainty, kept as long as the magnification is. */
  uncertain: { of: number; u: number } | null;
  parts: Record<string, string>;
}

const START: Record<Kind, Record<string, number>> = {
  infinity_objective: { nominal_magnification: 5, na: 0.14, design_tube_mm: 200, tube_mm: 200 },
  finite_objective: { nominal_magnification: 4, na: 0.1, design_tube_mm: 160, tube_mm: 160 },
  lens: { f_number: 4, magnification: 1 },
  coupled: { rear_focal_mm: 200, rear_f_number: 8, front_focal_mm: 50, front_f_number: 2 },
  measured: { magnification: 5, na: 0.14 },
};

export function draftOf(name: string, rig: RigDefinition | null, parts: Record<string, string>): Draft {
  if (!rig)
    return {
      name,
      kind: "infinity_objective",
      sensor: { width_px: 6000, height_px: 4000, pixel_um: 3.76 },
      train: START.infinity_objective,
      around: {},
      measured: {},
      knob: {},
      knobRuns: { farther: "rising", moves: "stage" },
      uncertain: null,
      parts: {},
    };
  const { kind, ...train } = rig.train;
  const { u_magnification, ...measured } = rig.measured ?? {};
  return {
    name,
    kind,
    sensor: { ...rig.sensor },
    train: train as Numbers,
    around: {
      working_distance_mm: rig.working_distance_mm ?? null,
      image_circle_mm: rig.image_circle_mm ?? null,
    },
    measured: measured as Numbers,
    knob: rig.knob
      ? {
          um_per_division: rig.knob.um_per_division,
          divisions_per_turn: rig.knob.divisions_per_turn,
          finest: rig.knob.finest,
          u_um_per_division: rig.knob.u_um_per_division ?? null,
        }
      : {},
    knobRuns: { farther: rig.knob?.farther ?? "rising", moves: rig.knob?.moves ?? "stage" },
    uncertain:
      u_magnification && measured.magnification ? { of: measured.magnification, u: u_magnification } : null,
    parts,
  };
}

/** Another kind of train; what both kinds have is kept. */
export function withKind(draft: Draft, kind: Kind): Draft {
  const kept = Object.fromEntries(
    TRAINS[kind]
      .filter((part) => part.key in draft.train)
      .map((part) => [part.key, draft.train[part.key] ?? null]),
  );
  const parts = Object.fromEntries(
    Object.entries(draft.parts).filter(([one]) => BUILT_FROM[kind].includes(one as PartKind)),
  );
  return { ...draft, kind, train: { ...START[kind], ...kept }, parts };
}

/** Put a part of the shelf into the rig: its figures are copied, its name is kept for the record. */
export function withPart(draft: Draft, { name, part }: Part): Draft {
  const next = { ...draft, parts: { ...draft.parts, [part.kind]: name } };
  const around = {
    working_distance_mm: ("working_distance_mm" in part ? part.working_distance_mm : null) ?? null,
    image_circle_mm: ("image_circle_mm" in part ? part.image_circle_mm : null) ?? null,
  };
  switch (part.kind) {
    case "body":
      return {
        ...next,
        sensor: { width_px: part.width_px, height_px: part.height_px, pixel_um: part.pixel_um },
      };
    case "lens":
      return {
        ...next,
        train: {
          ...draft.train,
          f_number: part.f_number,
          focal_mm: part.focal_mm,
          pupil_magnification: part.pupil_magnification ?? null,
        },
        around,
      };
    case "objective": {
      const kind = part.corrected === "infinity" ? "infinity_objective" : "finite_objective";
      const { nominal_magnification, na, design_tube_mm } = part;
      const changed = kind === next.kind ? next : { ...withKind(next, kind), parts: next.parts };
      const tube_mm = draft.parts.tube ? (changed.train.tube_mm ?? design_tube_mm) : design_tube_mm;
      return {
        ...changed,
        train: { ...changed.train, nominal_magnification, na, design_tube_mm, tube_mm },
        around,
      };
    }
    case "tube":
      return {
        ...next,
        train: {
          ...draft.train,
          tube_mm: part.tube_mm,
          ...(draft.kind === "infinity_objective" ? { tube_f_number: part.tube_f_number ?? null } : {}),
        },
      };
    default:
      return next;
  }
}

const without = (parts: Record<string, string>, ...gone: PartKind[]) =>
  Object.fromEntries(Object.entries(parts).filter(([kind]) => !gone.includes(kind as PartKind)));

/** A figure typed over: it is no longer that of the part it came from. */
export function withFigure(
  draft: Draft,
  group: "sensor" | "train",
  key: string,
  value: number | null,
): Draft {
  const from: PartKind[] =
    group === "sensor"
      ? ["body"]
      : key === "tube_mm" || key === "tube_f_number"
        ? ["tube"]
        : ["nominal_magnification", "na", "design_tube_mm"].includes(key)
          ? ["objective"]
          : key === "focal_mm" || key === "pupil_magnification"
            ? ["lens"]
            : [];
  return { ...draft, [group]: { ...draft[group], [key]: value }, parts: without(draft.parts, ...from) };
}

const filled = (parts: readonly Entered[], values: Numbers) =>
  Object.fromEntries(
    parts.map((part) => [part.key, values[part.key] ?? null]).filter(([, value]) => value !== null),
  );

/** The draft as the server takes it, or null while a needed number is missing. */
export function entryOf(draft: Draft): Entry | null {
  const needed = [...SENSOR.map((part) => draft.sensor[part.key])];
  needed.push(...TRAINS[draft.kind].filter((part) => !part.optional).map((part) => draft.train[part.key]));
  if (needed.some((value) => value === null || value === undefined)) return null;
  const measured: Record<string, unknown> = filled(MEASURED, draft.measured);
  // A knob that is half entered is said to be so by the server, not left out.
  const knob = filled(KNOB, draft.knob);
  if (draft.uncertain && measured.magnification === draft.uncertain.of)
    measured.u_magnification = draft.uncertain.u;
  return {
    name: draft.name,
    sensor: draft.sensor,
    train: { kind: draft.kind, ...filled(TRAINS[draft.kind], draft.train) },
    measured: Object.keys(measured).length > 0 ? measured : null,
    knob: Object.keys(knob).length > 0 ? { ...knob, ...draft.knobRuns } : null,
    ...filled(AROUND, draft.around),
    parts: draft.parts,
  } as unknown as Entry;
}
