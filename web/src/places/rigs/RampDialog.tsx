import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, Refusal, type Rig } from "../../client/api";
import { Button } from "../../ui/Button";
import { NumberField, TextField } from "../../ui/Field";
import { Notice } from "../../ui/Notice";
import { Work } from "../../ui/Work";

/** What a body's bare focus steps, or its counter, move focus by: from a series of a flat ramp. */
export function RampDialog({ rig, onDone }: { rig: Rig; onDone: () => void }) {
  const input = useRef<HTMLInputElement>(null);
  const [slope, setSlope] = useState<number | null>(20);
  const [units, setUnits] = useState<number | null>(1);
  const [unit, setUnit] = useState("step");
  const [hidden, setHidden] = useState<number | null>(12);
  const [sent, setSent] = useState<{ done: number; total: number } | null>(null);
  const queries = useQueryClient();
  const run = useMutation({
    mutationFn: async (files: File[] | null) => {
      const begun = await api.beginRamp(rig.id, {
        slope_deg: slope ?? 0,
        units_per_frame: units ?? 0,
        unit,
        simulated_unit_um: files ? null : hidden,
      });
      if (!files) return begun;
      for (const [i, file] of files.entries()) {
        setSent({ done: i, total: files.length });
        await api.addRampFrame(begun.id, file);
      }
      setSent(null);
      return api.measureRamp(begun.id);
    },
    onSuccess: onDone,
    onSettled: () => {
      setSent(null);
      void queries.invalidateQueries({ queryKey: ["calibrations", rig.id] });
    },
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
      <input
        ref={input}
        type="file"
        multiple
        accept=".jpg,.jpeg,.png,.tif,.tiff"
        className="sr-only"
        tabIndex={-1}
        aria-label="Frames of the ramp"
        onChange={(event) => {
          const files = [...(event.target.files ?? [])];
          event.target.value = "";
          if (files.length > 0) run.mutate(files);
        }}
      />
      <Button look="next" className="w-full" disabled={!ready} onClick={() => input.current?.click()}>
        Choose the frames
      </Button>
      {sent && <Work title="Storing frames" done={sent.done} total={sent.total} secondsLeft={null} />}
      <h3 className="pt-3 text-[16px]">Or on the simulated bench</h3>
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
