import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Rig } from "../../client/api";
import { fNumber, times, trimmed, um } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Notice, Placeholder } from "../../ui/Notice";
import { RigForm } from "./RigForm";

/** The shelf of rigs: what each does, and a new one put together beside it. */
export function Rigs() {
  const shelf = useQuery({ queryKey: ["rigs"], queryFn: api.rigs });
  const [chosen, setChosen] = useState<number | "new" | null>(null);
  const rigs = shelf.data ?? [];
  const shown = chosen === "new" ? null : (rigs.find((rig) => rig.id === chosen) ?? rigs[0] ?? null);
  const making = chosen === "new" || (shelf.isSuccess && rigs.length === 0);

  return (
    <div className="flex h-full">
      <div className="w-[460px] shrink-0 overflow-y-auto border-rule border-r p-5">
        <div className="mb-2 flex items-center justify-between">
          <h1 className="text-[20px]">Rigs</h1>
          <Button look={making ? "plain" : "next"} onClick={() => setChosen("new")}>
            Make a rig
          </Button>
        </div>
        {shelf.isError && (
          <Notice kind="fault" title="The rigs cannot be read.">
            {shelf.error.message}
          </Notice>
        )}
        {shelf.isPending && <Placeholder>Fetching the rigs …</Placeholder>}
        {shelf.isSuccess && rigs.length === 0 && (
          <p className="text-ink2">
            No rig yet. Put one together on the right: a sensor and an optical train.
          </p>
        )}
        <ul>
          {rigs.map((rig) => (
            <li key={rig.id}>
              <RigButton
                rig={rig}
                pressed={!making && rig.id === shown?.id}
                onClick={() => setChosen(rig.id)}
              />
            </li>
          ))}
        </ul>
      </div>
      <div className="min-w-0 flex-1 overflow-y-auto p-5">
        {making ? (
          <RigForm key="new" rig={null} onSaved={(rig) => setChosen(rig.id)} />
        ) : (
          shown && <RigForm key={shown.id} rig={shown} onSaved={(rig) => setChosen(rig.id)} />
        )}
      </div>
    </div>
  );
}

function RigButton({ rig, pressed, onClick }: { rig: Rig; pressed: boolean; onClick: () => void }) {
  const { optics } = rig;
  return (
    <button
      type="button"
      aria-pressed={pressed}
      onClick={onClick}
      className="block w-full border-rule border-b px-2 py-2.5 text-left hover:bg-card aria-pressed:bg-amber-wash"
    >
      <span className="font-bold">{rig.name}</span>
      <span className="block text-[14px] text-ink2">
        {times(optics.magnification)}, {fNumber(optics.effective_f_number)}, sharp over{" "}
        {um(optics.sharp_depth_um)}, {trimmed(optics.pixel_um.toPrecision(3))} µm/px
      </span>
    </button>
  );
}
