import type { Calibration, Ladder, Part, Rig, Specimen } from "../../client/api";
import { digits, trimmed } from "../../lib/numbers";
import { Choice } from "../../ui/Choice";
import { NumberField } from "../../ui/Field";
import {
  computedGroup,
  type Draft,
  type Free,
  GROUP_OF,
  type SharpnessKind,
  withParts,
  withSet,
} from "./draft";

const SHARPNESS: ReadonlyArray<{ value: SharpnessKind; label: string }> = [
  { value: "wave", label: "diffraction and pixels" },
  { value: "pixels", label: "sensor pixels" },
  { value: "screen", label: "a picture on a screen" },
  { value: "print", label: "a print" },
  { value: "circle", label: "a circle of confusion" },
];

interface Props {
  specimen: Specimen;
  rigs: readonly Rig[];
  rigId: number;
  rigNote: string | null;
  parts: readonly Part[];
  calibrations: readonly Calibration[];
  draft: Draft;
  ladder: Ladder | undefined;
  circle: number | null;
  problem: (field: string) => string | undefined;
  onRig: (id: number) => void;
  onChange: (draft: Draft) => void;
  onLabel: () => void;
}

/** What is had and what is wanted. Fields that follow from the others look different from those that were set. */
export function PlanFields(props: Props) {
  const { specimen, rigs, rigId, draft, ladder, problem, onChange } = props;
  const change = (part: Partial<Draft>) => onChange({ ...draft, ...part });
  const plain = (
    key: keyof Draft & string,
    label: string,
    unit: string | undefined,
    field: string,
    more: { hint?: string; optional?: boolean } = {},
  ) => (
    <NumberField
      key={key}
      label={label}
      unit={unit}
      {...more}
      value={draft[key] as number | null}
      onChange={(value) => change({ [key]: value })}
      problem={problem(field)}
    />
  );
  return (
    <div className="overflow-y-auto border-rule border-r p-4">
      <h2 className="mb-1 text-[1rem]">What you have</h2>
      <Choice
        beside
        label="Rig"
        value={String(rigId)}
        options={rigs.map((one) => ({ value: String(one.id), label: one.name }))}
        onChange={(value) => props.onRig(Number(value))}
      />
      {props.rigNote && <p className="py-1 text-[0.875rem] text-ink2">{props.rigNote}</p>}
      <div className="flex min-h-11 items-center justify-between border-rule border-b">
        <span>It lies in</span>
        <button
          type="button"
          className="min-h-9 border-ink2 border-b border-dotted"
          onClick={props.onLabel}
          title="Change the label"
        >
          {specimen.medium} <span className="text-ink2">n</span> {specimen.medium_index}
        </button>
      </div>
      <Mover {...props} />
      <h2 className="mt-4 mb-1 text-[1rem]">What must be sharp</h2>
      <Lengths draft={draft} ladder={ladder} problem={problem} onChange={onChange} />
      {plain("spare_rungs", "Spare rungs each end", undefined, "spare_rungs", {
        hint: "Start and stop where nothing is sharp: a series that ends too early cannot be saved.",
      })}
      <Choice
        beside
        label="Judge by"
        value={draft.sharpness}
        options={SHARPNESS}
        onChange={(value) => change({ sharpness: value as SharpnessKind })}
      />
      {draft.sharpness === "pixels" && plain("pixels", "Blur allowed", "px", "sharpness.count")}
      {draft.sharpness === "screen" && plain("screen_px", "Width of the picture", "px", "sharpness.width_px")}
      {draft.sharpness === "print" && plain("print_mm", "Width of the print", "mm", "sharpness.width_mm")}
      {draft.sharpness === "print" && plain("distance_mm", "Seen from", "mm", "sharpness.distance_mm")}
      {draft.sharpness === "circle" &&
        plain("circle_um", "Circle on the sensor", "µm", "sharpness.circle_um")}
      {props.circle !== null && (
        <p className="py-1 text-[0.875rem] text-ink2">
          A blur circle of {digits(props.circle, 3)} µm on the sensor is allowed. Depth by geometry alone:
          diffraction is not counted.
        </p>
      )}
      <h2 className="mt-4 mb-1 text-[1rem]">Each rung takes</h2>
      {plain("settle_s", "Settling", "s", "timing.settle_s")}
      {plain("exposure_s", "Exposure", "s", "timing.exposure_s")}
      {plain("recycle_s", "Flash recycling", "s", "timing.recycle_s")}
      {plain("transfer_s", "Storing the file", "s", "timing.transfer_s", { optional: true })}
      {plain("frame_mb", "One frame on the card", "MB", "bytes_per_frame")}
    </div>
  );
}

/** The rail, the body's own focus steps, or a knob that is turned by hand. */
function Mover({ parts, calibrations, rigs, rigId, draft, problem, onChange }: Props) {
  const rails = parts.filter((one) => one.part.kind === "rail");
  const units = calibrations.filter((one) => one.kind === "focus_units" && one.result);
  const measured = (one: Calibration) =>
    one.result as unknown as { um_per_unit: number; u_um_per_unit: number };
  const current = units.find((one) => draft.unit && measured(one).um_per_unit === draft.unit.um);
  const engraved = rigs.find((one) => one.id === rigId)?.rig.knob ?? null;
  const ofKnob = (one: Calibration) =>
    engraved !== null && /^div/i.test((one.entry as { unit: string }).unit);
  const division = (um: number) => `the knob, ${digits(um, 3)} µm a division`;
  const options = [
    { value: "rail", label: "a rail" },
    ...(engraved ? [{ value: "knob", label: `${division(engraved.um_per_division)}, as engraved` }] : []),
    ...units.filter(ofKnob).map((one) => ({
      value: `knob ${one.id}`,
      label: `${division(measured(one).um_per_unit)}, by the ramp`,
    })),
    ...units
      .filter((one) => !ofKnob(one))
      .map((one) => ({
        value: String(one.id),
        label: `the camera, ${digits(measured(one).um_per_unit, 3)} µm a ${(one.entry as { unit: string }).unit}`,
      })),
  ];
  const driven = !draft.unit && !draft.knob;
  const same = (um: number) => draft.knob?.um_per_division === um;
  const ramp = units.find((one) => ofKnob(one) && same(measured(one).um_per_unit));
  const chosenMover = draft.knob
    ? ramp && draft.knob.u_um_per_division
      ? `knob ${ramp.id}`
      : engraved && same(engraved.um_per_division)
        ? "knob"
        : "saved"
    : draft.unit
      ? String(current?.id ?? "saved")
      : "rail";
  const rail = rails.find(({ part }) => part.kind === "rail" && part.click_um === draft.click_um);
  return (
    <>
      {(units.length > 0 || draft.unit || engraved || draft.knob) && (
        <Choice
          beside
          label="Focus is moved by"
          value={chosenMover}
          options={
            options.some((one) => one.value === chosenMover)
              ? options
              : [
                  ...options,
                  draft.knob
                    ? { value: chosenMover, label: `${division(draft.knob.um_per_division)}, as saved` }
                    : {
                        value: chosenMover,
                        label: `the camera, ${digits(draft.unit?.um ?? 0, 3)} µm a step`,
                      },
                ]
          }
          onChange={(value) => {
            const ramp = units.find((one) => value === `knob ${one.id}`);
            if (engraved && (value === "knob" || ramp)) {
              const { um_per_unit, u_um_per_unit } = ramp
                ? measured(ramp)
                : { um_per_unit: null, u_um_per_unit: null };
              onChange({
                ...draft,
                unit: null,
                knob: um_per_unit
                  ? { ...engraved, um_per_division: um_per_unit, u_um_per_division: u_um_per_unit }
                  : engraved,
              });
              return;
            }
            const chosen = units.find((one) => String(one.id) === value);
            if (chosen) {
              const { um_per_unit, u_um_per_unit } = measured(chosen);
              onChange({ ...draft, knob: null, unit: { um: um_per_unit, u: u_um_per_unit } });
            } else if (value === "rail") onChange({ ...draft, unit: null, knob: null });
          }}
        />
      )}
      {draft.knob && (
        <NumberField
          label="Knob reads at the nearest point"
          unit="div"
          value={draft.near_reading}
          hint={`From 0 up to ${draft.knob.divisions_per_turn}: focus on the nearest point, and read it off.`}
          onChange={(near_reading) => onChange({ ...draft, near_reading })}
          problem={problem("knob") ?? problem("knob.near_reading")}
        />
      )}
      {driven && rails.length > 0 && (
        <Choice
          beside
          label="Rail"
          value={rail ? String(rail.id) : "typed"}
          options={[
            { value: "typed", label: "typed in" },
            ...rails.map((one) => ({ value: String(one.id), label: one.name })),
          ]}
          onChange={(value) => {
            const chosen = rails.find((one) => String(one.id) === value);
            if (chosen) onChange(withParts(draft, [chosen], { rail: chosen.name }));
          }}
        />
      )}
      {driven && (
        <NumberField
          label="Rail click"
          unit="µm"
          optional
          hint="The rail's smallest move; empty for a rail without steps."
          value={draft.click_um}
          onChange={(click_um) => onChange({ ...draft, click_um })}
          problem={problem("rail.click_um")}
        />
      )}
      <details>
        <summary className="flex min-h-11 items-center text-ink2 underline underline-offset-3">
          Travel and backlash
        </summary>
        {(
          [
            ["min_um", "Travel from"],
            ["max_um", "Travel to"],
            ["backlash_um", "Backlash"],
          ] as const
        ).map(([key, label]) => (
          <NumberField
            key={key}
            label={label}
            unit="µm"
            optional
            value={draft[key]}
            onChange={(value) => onChange({ ...draft, [key]: value })}
            problem={problem(`rail.${key}`) ?? (key === "max_um" ? problem("rail") : undefined)}
          />
        ))}
      </details>
    </>
  );
}

interface LengthsProps {
  draft: Draft;
  ladder: Ladder | undefined;
  problem: (field: string) => string | undefined;
  onChange: (draft: Draft) => void;
}

/** Ends, spacing and count: any two of extent, spacing and count give the third. */
function Lengths({ draft, ladder, problem, onChange }: LengthsProps) {
  const computed = computedGroup(draft);
  const { unit } = draft;
  // With a calibrated body, lengths are its steps; the plan itself stays in µm.
  const per = unit?.um ?? 1;
  const shown = (um: number | null) => (um === null ? null : Number((um / per).toFixed(unit ? 2 : 6)));
  const word = unit ? "steps" : "µm";
  const field = (
    key: Free,
    label: string,
    unitWord: string,
    comes: string | undefined,
    where: string,
    length = false,
  ) => (
    <NumberField
      label={label}
      unit={unitWord}
      value={length ? shown(draft[key]) : draft[key]}
      computed={(computed !== null || draft.set.includes(GROUP_OF[key])) && comes ? comes : ""}
      onChange={(value) => onChange(withSet(draft, key, value === null || !length ? value : value * per))}
      problem={problem(where)}
    />
  );
  const say = (value: number | undefined, significant = 4) =>
    value === undefined ? undefined : trimmed(digits(value, significant));
  return (
    <>
      <NumberField
        label="Nearest point"
        unit={word}
        value={shown(draft.near_um)}
        onChange={(value) => onChange({ ...draft, near_um: value === null ? null : value * per })}
        problem={problem("near_um")}
      />
      {field("far_um", "Farthest point", word, ladder && say(ladder.far_um / per, 6), "far_um", true)}
      {field(
        "overlap_percent",
        "Overlap",
        "%",
        ladder && String(Math.round(ladder.overlap * 100)),
        "overlap",
      )}
      {field("step_um", "Step", word, ladder && say(ladder.step_um / per), "step_um", true)}
      {field("frames", "Frames", "", ladder && String(ladder.frames), "frames")}
      {field("budget_min", "Time", "min", ladder && say(ladder.seconds / 60, 2), "budget_s")}
      <p className="py-1 text-[0.875rem] text-ink2" role="status">
        {computed === null
          ? "Set one more: the far point, the spacing, or how many."
          : `${{ extent: "The far point", spacing: "The spacing", count: "The number of frames" }[computed]} follows from the rest. Typing over a computed field frees the one set longest ago.`}
      </p>
    </>
  );
}
