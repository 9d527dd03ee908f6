import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, Refusal, type Rig } from "../../client/api";
import { type UploadState, upload } from "../../client/upload";
import { Button } from "../../ui/Button";
import { NumberField, TextField } from "../../ui/Field";
import { FileButton } from "../../ui/FileButton";
import { Notice } from "../../ui/Notice";
import { Rejected } from "../../ui/Rejected";
import { Work } from "../../ui/Work";

/** What a body's bare focus steps, or its counter, move focus by: from a series of a flat ramp. */
export function RampDialog({ rig, onDone }: { rig: Rig; onDone: () => void }) {
  const [slope, setSlope] = useState<number | null>(20);
  const [slopeTolerance, setSlopeTolerance] = useState<number | null>(null);
  const [units, setUnits] = useState<number | null>(1);
  const [unit, setUnit] = useState("step");
  const [hidden, setHidden] = useState<number | null>(12);
  const [sent, setSent] = useState<UploadState | null>(null);
  const stopper = useRef<AbortController | null>(null);
  const queries = useQueryClient();
  const run = useMutation({
    mutationFn: async (files: File[] | null) => {
      const begun = await api.beginRamp(rig.id, {
        slope_deg: slope ?? 0,
        slope_tolerance_deg: slopeTolerance,
        units_per_frame: units ?? 0,
        unit,
        simulated_unit_um: files ? null : hidden,
      });
      if (!files) return begun;
      stopper.current = new AbortController();
      const { signal } = stopper.current;
      const done = await upload((file) => api.addRampFrame(begun.id, file), files, setSent, signal);
      if (signal.aborted || done.rejected.length === files.length) {
        await api.discard({ kind: "calibration", id: begun.id, why: "a frame of it was not taken" });
        return null;
      }
      const measuring = await api.measureRamp(begun.id);
      // Files that were not taken stay named until the person has seen it.
      return done.rejected.length > 0 ? null : measuring;
    },
    onSuccess: (measuring) => measuring && onDone(),
    onSettled: () => queries.invalidateQueries({ queryKey: ["calibrations", rig.id] }),
  });
  const refusal = run.error instanceof Refusal ? run.error : null;
  const ready = slope !== null && units !== null && unit.trim() !== "" && !run.isPending;
  return (
    <div className="space-y-2">
      <p className="text-ink2">
        Lay a flat, finely printed card at a known slope under the lens. Let the body bracket from one end to
        the other, always the same number of units between frames.
      </p>
      <NumberField
        label="Slope of the ramp"
        unit="°"
        hint="How steeply it falls away from the focal plane."
        value={slope}
        onChange={setSlope}
        problem={refusal?.at("slope_deg")}
      />
      <NumberField
        label="How true the slope is"
        unit="± °"
        optional
        hint="Left empty, ± 0.5° is assumed, and said to be."
        value={slopeTolerance}
        onChange={setSlopeTolerance}
        problem={refusal?.at("slope_tolerance_deg")}
      />
      <NumberField
        label="Units between two frames"
        hint="The number set on the body, or what its counter advances by."
        value={units}
        onChange={setUnits}
        problem={refusal?.at("units_per_frame")}
      />
      <TextField
        label="What the body calls it"
        value={unit}
        onChange={setUnit}
        problem={refusal?.at("unit")}
      />
      <FileButton
        multiple
        label="Frames of the ramp"
        look="next"
        className="w-full"
        disabled={!ready}
        onFiles={(files) => run.mutate(files)}
      >
        Choose the frames
      </FileButton>
      {sent && run.isPending && (
        <Work
          title="Storing frames"
          done={sent.done}
          total={sent.total}
          secondsLeft={sent.secondsLeft}
          onStop={() => stopper.current?.abort()}
        />
      )}
      <Rejected files={sent?.rejected ?? []} />
      <h3 className="pt-3 text-[1rem]">Or on the simulated bench</h3>
      <NumberField
        label="One unit of the simulated body"
        unit="µm"
        hint="What the measurement should find. The simulated ramp slopes by 20°."
        value={hidden}
        onChange={setHidden}
        problem={refusal?.at("simulated_unit_um")}
      />
      <Button className="w-full" disabled={!ready || hidden === null} onClick={() => run.mutate(null)}>
        Shoot and measure the simulated ramp
      </Button>
      {refusal && refusal.fields.length === 0 && <Notice kind="fault">{refusal.message}</Notice>}
    </div>
  );
}
