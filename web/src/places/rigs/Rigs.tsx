import { useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, type Rig } from "../../client/api";
import { fNumber, times, trimmed, um } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Notice, Placeholder } from "../../ui/Notice";
import { PartsShelf } from "./PartsShelf";
import { RigForm } from "./RigForm";

/** The shelf of rigs, what each does and what was measured on it; and the parts they are put together from. */
export function Rigs() {
  const shelf = useQuery({ queryKey: ["rigs"], queryFn: api.rigs });
  const parts = useQuery({ queryKey: ["parts"], queryFn: api.parts });
  const [chosen, setChosen] = useState<number | "new" | "parts" | null>(null);
  const rigs = shelf.data ?? [];
  const shown = rigs.find((rig) => rig.id === chosen) ?? rigs[0] ?? null;
  const making = chosen === "new" || (shelf.isSuccess && rigs.length === 0 && chosen !== "parts");
  const form = making ? null : shown;
  // A rig that changes elsewhere begins its form anew, but never over what is being typed: saving then asks.
  const [turn, setTurn] = useState(0);
  const dirty = useRef(false);
  const begun = useRef<{ id: number; version: number } | null>(null);
  // What was saved here is what the form shows already.
  const own = useRef<{ id: number; version: number } | null>(null);
  if (form && begun.current?.id !== form.id) {
    dirty.current = false;
    own.current = null;
  }
  const mine = own.current?.id === form?.id && own.current?.version === form?.version;
  // While something is measured, its dialog must not be taken away by what it has just saved.
  const measuring = useRef(false);
  if (form && !dirty.current && !measuring.current && !mine)
    begun.current = { id: form.id, version: form.version };

  return (
    <div className="grid h-full grid-cols-[clamp(200px,21vw,290px)_minmax(0,1fr)] grid-rows-[minmax(0,1fr)] small:block small:h-auto">
      <div className="overflow-y-auto border-ink border-r bg-card p-4">
        <h1 className="sr-only">Rigs</h1>
        <div className="mb-2 grid grid-cols-2 gap-2">
          <Button
            look={shelf.isSuccess && rigs.length === 0 ? "next" : "plain"}
            className="px-2"
            onClick={() => setChosen("new")}
          >
            Make a rig
          </Button>
          <Button
            className="px-2"
            aria-pressed={chosen === "parts"}
            onClick={() => setChosen(chosen === "parts" ? null : "parts")}
          >
            Parts shelf
          </Button>
        </div>
        {[shelf, parts].map(
          (one, i) =>
            one.isError && (
              <Notice key={i === 0 ? "rigs" : "parts"} kind="fault" title="The shelf cannot be read.">
                {one.error.message}
              </Notice>
            ),
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
                pressed={!making && chosen !== "parts" && rig.id === shown?.id}
                onClick={() => setChosen(rig.id)}
              />
            </li>
          ))}
        </ul>
      </div>
      {chosen === "parts" ? (
        <PartsShelf parts={parts.data ?? []} />
      ) : (
        shelf.isSuccess &&
        (making || form) && (
          <RigForm
            key={form ? `${form.id} ${begun.current?.version} ${turn}` : "new"}
            rig={form}
            parts={parts.data ?? []}
            onSaved={(rig) => {
              own.current = { id: rig.id, version: rig.version };
              setChosen(rig.id);
            }}
            onDirty={(now) => {
              dirty.current = now;
            }}
            onMeasuring={(now) => {
              measuring.current = now;
            }}
            onStale={() => {
              dirty.current = false;
              setTurn(turn + 1);
            }}
          />
        )
      )}
    </div>
  );
}

function RigButton({ rig, pressed, onClick }: { rig: Rig; pressed: boolean; onClick: () => void }) {
  const { optics } = rig.does;
  return (
    <button
      type="button"
      aria-pressed={pressed}
      onClick={onClick}
      className="block w-full border-rule border-b px-2 py-2.5 text-left hover:bg-sheet aria-pressed:bg-amber-wash"
    >
      <span className="font-bold">{rig.name}</span>
      <span className="block text-[0.875rem] text-ink2">
        {times(optics.magnification)}, {fNumber(optics.effective_f_number)}, sharp over{" "}
        {um(optics.sharp_depth_um)}
      </span>
      <span className="block text-[0.875rem] text-ink2">
        {trimmed(optics.pixel_um.toPrecision(3))} µm/px {optics.pixel_origin}
        {rig.on_bench && ", on the bench now"}
      </span>
    </button>
  );
}
