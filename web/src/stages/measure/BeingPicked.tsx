import type { UseMutationResult, UseQueryResult } from "@tanstack/react-query";
import type { Measure, Told } from "../../client/api";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/Field";
import { Failures, Notice } from "../../ui/Notice";
import { Budget } from "./Docket";
import { KINDS, stated } from "./kinds";
import type { Picking, usePicking } from "./usePicking";

interface Props {
  picking: Picking;
  pick: Pick<ReturnType<typeof usePicking>, "clear" | "turn">;
  /** The measure of which this is another pick. */
  again: Measure | null;
  name: string;
  onName: (name: string) => void;
  /** Whether enough is picked, and whether it can be taken. */
  whole: boolean;
  ready: boolean;
  tried: UseQueryResult<Told>;
  take: UseMutationResult<Measure, Error, void>;
  snap: UseMutationResult<number[] | null, Error, void>;
}

/** What is being picked, what it comes to, and what rests on it. */
export function BeingPicked({ picking, pick, again, name, onName, whole, ready, tried, take, snap }: Props) {
  const [first, second] = picking.faces;
  const points = picking.faces[picking.face];
  // Until it is reckoned, what the places before came to stands there, quiet.
  const stale = whole && tried.isFetching;
  const told = whole && tried.data;
  const value = told ? stated(told.value, told.expanded, told.unit) : stale ? "measuring" : "–";
  return (
    <section
      aria-label="Being picked"
      className="max-h-[60%] shrink-0 space-y-2 overflow-y-auto border-ink border-b px-4 py-2"
    >
      <div className="flex items-baseline justify-between gap-3">
        <h2 className="text-[1.0625rem]">{again ? `${again.name}, once more` : KINDS[picking.kind].label}</h2>
        <output
          aria-label="Value"
          aria-busy={stale}
          className={`whitespace-nowrap text-[1.25rem] font-bold ${stale ? "text-ink2" : ""}`}
        >
          {value}
        </output>
      </div>
      {!again && <TextField label="Name (its number, if empty)" value={name} onChange={onName} />}
      <div className="flex flex-wrap gap-2">
        <Button
          look="next"
          command="takeMeasure"
          disabled={!ready || take.isPending}
          onClick={() => take.mutate()}
        >
          {again ? "Add this pick" : "Take the measure"}
        </Button>
        <Button
          command="snap"
          className="px-3"
          disabled={points.length === 0 || snap.isPending}
          onClick={() => snap.mutate()}
        >
          Snap to edge
        </Button>
        {picking.kind === "dihedral" && (
          <Button
            command="secondFace"
            className="px-3"
            aria-pressed={picking.face === 1}
            onClick={() => pick.turn(picking.face === 0 ? 1 : 0)}
          >
            Second face
          </Button>
        )}
        <Button
          look="quiet"
          command="clearPlaces"
          className="px-2"
          disabled={first.length + second.length === 0}
          onClick={pick.clear}
        >
          Begin anew
        </Button>
      </div>
      {snap.isSuccess && snap.data === null && (
        <p role="status">There is no edge within 12 px of this place.</p>
      )}
      <Failures of={[take.error, snap.error]} />
      {told && <Budget told={told} />}
      {whole && tried.error && <Notice kind="fault">{tried.error.message}</Notice>}
    </section>
  );
}
