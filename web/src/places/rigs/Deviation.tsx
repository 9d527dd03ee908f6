import { trimmed } from "../../lib/numbers";
import { Notice } from "../../ui/Notice";
import type { ScaleResult } from "./results";

/** How a measured scale stands to the nominal one; more than 2 % is named. */
export function Deviation({ result }: { result: ScaleResult }) {
  const percent = `${result.deviation >= 0 ? "+" : "−"}${Math.abs(100 * result.deviation).toFixed(2)} %`;
  if (result.deviation_is_large)
    return (
      <Notice kind="fault" title={`${percent} from nominal.`}>
        The parts compute to {trimmed(result.nominal_um_per_px.toPrecision(4))} µm/px. Check the spacing of
        the ruling, the tube length, and what is engraved on the objective.
      </Notice>
    );
  return (
    <p className="text-[0.875rem] text-ink2">
      {percent} from the nominal {trimmed(result.nominal_um_per_px.toPrecision(4))} µm/px
      {result.lines !== undefined && `, over ${result.lines} lines`}
      {typeof result.distortion === "number" &&
        `; the field is bent by ${(100 * result.distortion).toFixed(2)} % at most`}
      .{" "}
      {result.tolerance_percent === undefined
        ? "The uncertainty is that of the picture alone; the ruling's own tolerance comes on top."
        : `The uncertainty holds the ruling's own tolerance of ± ${trimmed(String(result.tolerance_percent))} %${result.tolerance_assumed ? ", which is assumed" : ""}.`}
    </p>
  );
}
