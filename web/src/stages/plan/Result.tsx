import type { Figure, PlanPreview } from "../../client/api";
import { bytes, digits, duration, percent, plural, trimmed, um } from "../../lib/numbers";
import { FigureRow } from "../../specimen/FigureRow";
import { figureText } from "../../specimen/figures";
import { Notice } from "../../ui/Notice";

interface ResultProps {
  preview: PlanPreview;
  figures: readonly Figure[];
  click: number | null;
  wanted: number;
  medium: string;
  index: number;
  timing: { settle_s: number; exposure_s: number; recycle_s: number; transfer_s: number };
}

/** What a ladder gives in light and blur, and what it costs. */
export function Result({ preview, figures, click, wanted, medium, index, timing }: ResultProps) {
  const { ladder, framing, checks } = preview;
  const figure = (key: string) => figures.find((one) => one.key === key);
  const shown = ["effective_f_number", "sharp_depth_um", "detail_um"]
    .map(figure)
    .filter((one) => one !== undefined);
  const na = figure("numerical_aperture")?.values[0] ?? 0;
  const pixel = figure("pixel_um")?.values[0] ?? 0;
  const rung = timing.settle_s + timing.exposure_s + Math.max(timing.recycle_s, timing.transfer_s);
  return (
    <>
      <div className="grid grid-cols-2 gap-x-6">
        <section aria-label="Light and blur">
          <h2 className="text-[0.9375rem]">Light and blur</h2>
          {shown.map(({ key, ...one }) => (
            <FigureRow key={key} {...one} value={figureText(one)} />
          ))}
          <FigureRow
            label="Worst blur between rungs"
            value={`${digits(ladder.worst_blur_px, 2)} px`}
            formula="step · NA / √(n² − NA²) / pixel"
            inputs={[
              {
                symbol: "step",
                label: `in ${medium}`,
                value: ladder.step_in_medium_um,
                unit: "µm",
                origin: "computed",
              },
              { symbol: "NA", label: "numerical aperture", value: na, unit: "", origin: "computed" },
              { symbol: "n", label: "refractive index", value: index, unit: "", origin: "entered" },
              { symbol: "pixel", label: "on the specimen", value: pixel, unit: "µm", origin: "computed" },
            ]}
            source="geometry of the light cone"
            note={`The Airy disc is ${digits(ladder.airy_px, 2)} px: blur of about that size is hardly seen.`}
          />
          <Plain
            label="Frame after aligning"
            value={`${framing.field_mm.map((side) => digits(side, 3)).join(" × ")} mm`}
          />
        </section>
        <section aria-label="Cost">
          <h2 className="text-[0.9375rem]">Cost</h2>
          <FigureRow
            label="Shooting time"
            value={duration(ladder.seconds)}
            formula="frames · (settling + exposure + recycling or storing, the longer)"
            inputs={[
              { symbol: "frames", label: "rungs", value: ladder.frames, unit: "", origin: "computed" },
              { symbol: "each", label: "seconds on a rung", value: rung, unit: "s", origin: "entered" },
            ]}
            source="sum of the times entered"
          />
          <Plain label="Card space" value={bytes(ladder.bytes)} />
          <Plain
            label="Travel, starting at"
            value={`${um(ladder.travel_um)}, ${um(ladder.approach_from_um)}`}
          />
          <FigureRow
            label="Overlap that results"
            value={
              ladder.overlap < 0
                ? `none, ${um(-ladder.overlap * ladder.sharp_depth_um)} soft`
                : percent(ladder.overlap)
            }
            formula="1 − step / sharp depth"
            inputs={[
              {
                symbol: "step",
                label: `in ${medium}`,
                value: ladder.step_in_medium_um,
                unit: "µm",
                origin: "computed",
              },
              {
                symbol: "d",
                label: "sharp depth",
                value: ladder.sharp_depth_um,
                unit: "µm",
                origin: "computed",
              },
            ]}
            source="after rounding down to whole clicks"
          />
        </section>
      </div>
      <div className="mt-4 space-y-2">
        {click !== null && ladder.overlap > wanted + 0.004 && (
          <Notice kind="hint" title={`The rail moves in ${trimmed(String(click))} µm clicks.`}>
            The step becomes {plural(Math.round(ladder.step_um / click), "click")}, {um(ladder.step_um)}.
            Overlap is then {percent(ladder.overlap)}.
          </Notice>
        )}
        {index > 1 && (
          <Notice kind="hint" title={`In ${medium}, focus moves deeper than the stage.`}>
            A step of {um(ladder.step_um)} of the stage moves focus by {um(ladder.step_near_axis_um)} near the
            axis and {um(ladder.step_rim_um)} at the rim; {um(ladder.far_um - ladder.near_um)} of stage travel
            are {um(ladder.depth_in_medium_um)} in depth. A cover slip shifts focus once and changes no step.
          </Notice>
        )}
        {checks.map((check) => (
          <Notice key={check.key} kind={check.level === "fault" ? "fault" : "hint"}>
            {check.message}
          </Notice>
        ))}
        {ladder.warnings.map((warning) => (
          <Notice key={warning} kind={ladder.faults.includes(warning) ? "fault" : "hint"}>
            {warning}
          </Notice>
        ))}
      </div>
    </>
  );
}

function Plain({ label, value }: { label: string; value: string }) {
  return (
    <div className="flex min-h-11 items-center justify-between border-rule border-b">
      <span className="text-ink2">{label}</span>
      <span>{value}</span>
    </div>
  );
}
