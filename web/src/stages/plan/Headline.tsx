import type { Ladder } from "../../client/api";
import { digits, plural, trimmed, um } from "../../lib/numbers";

interface Props {
  ladder: Ladder | undefined;
  stale: boolean;
  /** What a division of the knob moves focus by, µm; null where none is turned. */
  division_um: number | null;
}

/** The ladder in one line: how many frames, how far apart; grey while an entry is wrong. */
export function Headline({ ladder, stale, division_um }: Props) {
  return (
    <p className={`head text-[1.75rem] leading-tight ${stale ? "text-ink2" : ""}`} aria-live="polite">
      {ladder ? (
        <>
          {ladder.frames} frames <span className="font-normal text-[1.125rem] text-ink2">every</span>{" "}
          {um(ladder.step_um)}
          {ladder.step_units !== null && (
            <span className="block text-[1rem] text-ink2">
              {plural(ladder.step_units, "step")} of the camera between frames
            </span>
          )}
          {ladder.readings && division_um !== null && (
            <span className="block text-[1rem] text-ink2">
              The knob reads {trimmed(digits(ladder.readings[0]?.division ?? 0, 4))} at the first rung,{" "}
              {trimmed(digits(ladder.step_um / division_um, 4))} divisions further at each
            </span>
          )}
        </>
      ) : (
        "No ladder yet"
      )}
    </p>
  );
}
