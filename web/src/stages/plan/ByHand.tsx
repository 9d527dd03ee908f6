import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Ladder } from "../../client/api";
import { digits, percent, plural, um } from "../../lib/numbers";
import { FigureRow } from "../../specimen/FigureRow";
import { Curve } from "../../ui/Curve";
import { NumberField } from "../../ui/Field";
import { Notice } from "../../ui/Notice";

/** For what will not hold still on a rail: how many frames in a burst, how many are kept, how long to hold. */
export function ByHand({ ladder, overlap }: { ladder: Ladder; overlap: number }) {
  const [fps, setFps] = useState<number | null>(10);
  const [sweep, setSweep] = useState<number | null>(300);
  const depth = ladder.depth_in_medium_um;
  const ready = fps !== null && sweep !== null;
  const body = {
    depth_um: depth,
    sharp_um: ladder.sharp_depth_um,
    frames_per_second: fps ?? 0,
    sweep_um_per_s: sweep ?? 0,
    overlap,
  };
  const found = useQuery({
    queryKey: ["by-hand", body],
    queryFn: () => api.byHand(body),
    enabled: ready,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const plan = found.data;
  const depths = [
    { symbol: "d", label: "sharp depth", value: ladder.sharp_depth_um, unit: "µm", origin: "computed" },
    { symbol: "D", label: "depth wanted", value: depth, unit: "µm", origin: "entered" },
  ];
  return (
    <div className="grid grid-cols-2 gap-6">
      <section aria-label="Burst">
        <p className="pb-1 text-[0.875rem] text-ink2">
          Rock slowly through focus and hold the shutter. Frames land anywhere, so several times as many are
          shot as used.
        </p>
        <NumberField label="Frames a second" value={fps} onChange={setFps} problem={found.error?.message} />
        <NumberField
          label="Sweep"
          unit="µm/s"
          hint="How fast focus rocks through the specimen."
          value={sweep}
          onChange={setSweep}
        />
        <p className="py-2 text-[0.875rem] text-ink2">
          Rest the hand, anchor the lens. Fire a blank frame between takes.
        </p>
      </section>
      <section aria-label="What it takes" className="min-w-0">
        {plan && (
          <Curve
            label={`Coverage over frames shot: ${plan.frames} frames cover 99 %`}
            points={plan.curve as Array<[number, number]>}
            x={{
              words: "frames shot",
              most: plan.curve.at(-1)?.[0] ?? 1,
              say: (value) => String(Math.round(value)),
            }}
            y={{ words: "of the depth covered", most: 1, say: percent }}
            mark={{ x: plan.frames, y: 0.99, words: `99 % after ${plan.frames}` }}
          />
        )}
        {found.isError && <Notice kind="fault">{found.error.message}</Notice>}
        {plan && (
          <>
            <FigureRow
              label="Frames for 99 %"
              value={String(plan.frames)}
              formula="ln(1 − 0.99) / ln(1 − d/D)"
              inputs={depths}
              source="coverage probability: frames at random over the depth"
            />
            <FigureRow
              label="Kept of them"
              value={`about ${plan.kept}`}
              formula="D / (d (1 − overlap)) + 1"
              inputs={[
                ...depths,
                { symbol: "overlap", label: "wanted", value: overlap, unit: "", origin: "entered" },
              ]}
              source="as a ladder would need"
            />
            <FigureRow
              label="Hold for"
              value={`${digits(plan.hold_s, 2)} s`}
              formula="frames / frames a second"
              inputs={[
                { symbol: "frames", label: "for 99 %", value: plan.frames, unit: "", origin: "computed" },
              ]}
              source="arithmetic"
              note={`${plural(plan.sweeps, "sweep")} through the depth; frames of one sweep lie ${um(plan.step_um)} apart.`}
            />
          </>
        )}
      </section>
    </div>
  );
}
