import { useState } from "react";
import { api, type Bench, type Stack } from "../../client/api";
import { Button } from "../../ui/Button";
import { Check, NumberField } from "../../ui/Field";
import { Panel } from "../../ui/Panel";
import { OwnFrames } from "./OwnFrames";

interface Props {
  stack: Stack;
  bench: Bench;
  /** The bench is at work, or set up for another stack: bursts wait, own frames need not. */
  locked: boolean;
  open: boolean;
  onClose: () => void;
  act: (order: () => Promise<unknown>) => void;
  onChange: () => void;
}

/** A burst by hand into the watched folder, against the clock if need be; or frames that exist already. */
export function ByHand({ stack, bench, locked, open, onClose, act, onChange }: Props) {
  const [minutes, setMinutes] = useState<number | null>(
    stack.plan.budget_s ? Math.round(stack.plan.budget_s / 6) / 10 : null,
  );
  const [covered, setCovered] = useState(true);
  const [simulated, setSimulated] = useState(bench.settings.camera === "simulated");
  const take = stack.takes.findLast((one) => one.source === "files" && !one.complete);
  const begin = () => {
    act(() => api.beginBurst(stack.id, { minutes, stop_when_covered: covered, simulated }));
    onClose();
  };
  return (
    <Panel title="By hand" open={open} onClose={onClose}>
      <p className="mb-2 text-[0.9375rem] text-ink2">
        Rock through focus in bursts; rest the hand, anchor the lens. Every complete file in the watched
        folder ({bench.settings.folder || "incoming, in the data folder"}) becomes a frame of a new take.
      </p>
      <NumberField
        label="Time until it is gone"
        unit="min"
        value={minutes}
        optional
        computed="no limit"
        onChange={setMinutes}
      />
      <Check label="Stop by itself when it is covered" checked={covered} onChange={setCovered} />
      {bench.settings.camera === "simulated" && (
        <Check label="Let a simulated hand shoot" checked={simulated} onChange={setSimulated} />
      )}
      <Button look="next" className="mt-2 mb-6 w-full" disabled={locked} onClick={begin}>
        {locked ? "A burst waits for the bench" : "Begin the burst"}
      </Button>
      <OwnFrames stack={stack} take={take} onChange={onChange} onDone={onClose} />
    </Panel>
  );
}
