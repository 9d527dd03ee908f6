import type { Mend, Step } from "../../client/api";
import { Button } from "../../ui/Button";
import { words } from "./steps";

interface Props {
  mend: Mend;
  busy: boolean;
  rung: (file: string) => string;
  onSet: (number: number, step: Step) => void;
  onUndo: () => void;
  onRedo: () => void;
}

const LOOKS: Record<string, string> = {
  from_frame: "bg-amber-fill",
  from_merge: "bg-amber-fill",
  dust: "bg-amber-fill",
  heal: "bg-fault",
  ground: "bg-mark",
};

/** The steps of a mend, the last one first; each can be switched off. */
export function Steps({ mend, busy, rung, onSet, onUndo, onRedo }: Props) {
  return (
    <section aria-label="Steps">
      <div className="flex items-center justify-between gap-2">
        <h2 className="text-[1.0625rem]">Steps</h2>
        <span className="flex gap-1">
          <Button
            look="quiet"
            className="px-2"
            command="mendUndo"
            disabled={!mend.undo || busy}
            onClick={onUndo}
            aria-label={mend.undo ? `Undo step: ${mend.undo}` : "Undo step"}
          >
            Undo
          </Button>
          <Button
            look="quiet"
            className="px-2"
            command="mendRedo"
            disabled={!mend.redo || busy}
            onClick={onRedo}
            aria-label={mend.redo ? `Redo step: ${mend.redo}` : "Redo step"}
          >
            Redo
          </Button>
        </span>
      </div>
      {mend.steps.length === 0 && (
        <p className="text-ink2">None yet: the picture is the merge, pixel by pixel.</p>
      )}
      <ol aria-label="Steps of this mend" className="max-h-72 overflow-y-auto">
        {mend.steps
          .map((one) => ({ ...one, step: one.step as Step }))
          .reverse()
          .map(({ number, step, said }) => {
            const { what, beside } = words(step, said, rung);
            return (
              <li key={number} className="border-rule border-b">
                <label className="flex min-h-9 items-center gap-2 py-0.5">
                  <input
                    type="checkbox"
                    className="size-4 shrink-0 accent-(--ink)"
                    checked={!step.off}
                    disabled={busy}
                    aria-label={`Step ${number + 1}: ${what}`}
                    onChange={() => onSet(number, { ...step, off: !step.off })}
                  />
                  <span aria-hidden="true" className={`size-2.5 shrink-0 ${LOOKS[step.kind] ?? "bg-ink3"}`} />
                  <span
                    className={`min-w-0 flex-1 ${step.off ? "text-ink3 line-through" : ""} ${step.kind === "heal" ? "text-fault" : ""}`}
                  >
                    {what}
                  </span>
                  <span className="shrink-0 text-[0.875rem] text-ink2">{step.off ? "off" : beside}</span>
                </label>
              </li>
            );
          })}
      </ol>
    </section>
  );
}
