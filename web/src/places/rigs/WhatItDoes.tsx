import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Rig, type RigPreview } from "../../client/api";
import { FigureRow } from "../../specimen/FigureRow";
import { figureText } from "../../specimen/figures";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Notice } from "../../ui/Notice";
import { RigDrawing } from "./RigDrawing";

const POWERS = [1, 1 / 2, 1 / 4, 1 / 8, 1 / 16, 1 / 32, 1 / 64, 1 / 128];

interface Props {
  does: RigPreview | undefined;
  stale: boolean;
  error: string | null;
  rig: Rig | null;
}

/** The rig drawn, its figures, what is wrong with it, and the light it needs. */
export function WhatItDoes({ does, stale, error, rig }: Props) {
  return (
    <section aria-label="What it does" className={stale ? "grayscale" : ""}>
      {error && (
        <Notice kind="fault" title="This cannot be computed.">
          {error}
        </Notice>
      )}
      {does && (
        <>
          <RigDrawing drawing={does.drawing} />
          <div className="grid grid-cols-2 gap-x-6">
            {does.figures.map(({ key, ...figure }) => (
              <FigureRow key={key} {...figure} value={figureText(figure)} />
            ))}
          </div>
          <div className="mt-3 space-y-2">
            {!stale &&
              does.checks.map((check) => (
                <Notice key={check.message} kind={check.level === "fault" ? "fault" : "hint"}>
                  {check.message}
                </Notice>
              ))}
          </div>
          <Light does={does} rig={rig} />
        </>
      )}
    </section>
  );
}

function Light({ does, rig }: { does: RigPreview; rig: Rig | null }) {
  const queries = useQueryClient();
  const [power, setPower] = useState(String(rig?.flash_power ?? 1 / 8));
  const bench = useMutation({
    mutationFn: (id: number) => api.putOnBench(id, Number(power)),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["rigs"] }),
  });
  const { flash, flash_from } = does;
  return (
    <div className="mt-3">
      <h2 className="text-[1rem]">Light</h2>
      {rig?.on_bench ? (
        <p>
          This rig stands on the bench, with the flash at <strong>{fraction(rig.flash_power ?? 1)}</strong>.
        </p>
      ) : (
        flash && (
          <p>
            From {flash_from} on the bench:{" "}
            {Math.abs(flash.stops) < 0.05 ? "no change" : `${signed(flash.stops)} stops`}, flash at{" "}
            <strong>{flash.setting}</strong>
            {flash.power === null &&
              (flash.missing_stops > 0
                ? `, ${flash.missing_stops.toFixed(1)} stops short: more light, a higher sensitivity, or a wider aperture`
                : ", too strong: take it farther away or add a diffuser")}
            .
          </p>
        )
      )}
      {rig && (
        <div className="flex flex-wrap items-end gap-3">
          <div className="w-44">
            <Choice
              label="Flash that is right for it"
              value={power}
              options={POWERS.map((one) => ({ value: String(one), label: fraction(one) }))}
              onChange={setPower}
            />
          </div>
          <Button className="mb-1.5" disabled={bench.isPending} onClick={() => bench.mutate(rig.id)}>
            {rig.on_bench ? "Note this power" : "It stands on the bench now"}
          </Button>
        </div>
      )}
    </div>
  );
}

const fraction = (power: number) => (power >= 1 ? "1/1" : `1/${Math.round(1 / power)}`);
const signed = (stops: number) => `${stops > 0 ? "+" : "−"}${Math.abs(stops).toFixed(1)}`;
