import { useState } from "react";
import type { Mend, Step } from "../../client/api";
import { percent } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { NumberField } from "../../ui/Field";
import { Range } from "../../ui/Range";

interface GroundProps {
  mend: Mend;
  ground: { number: number; step: Step } | null;
  like: boolean;
  add: boolean;
  onLike: () => void;
  onAdd: (add: boolean) => void;
  onStep: (step: Step) => void;
}

const TO = [
  { value: "black", label: "black" },
  { value: "white", label: "white" },
  { value: "grey", label: "an even grey" },
  { value: "darker", label: "only darker" },
];

/** The ground: by depth or by its looks, refined by brush. */
export function GroundControls({ mend, ground, like, add, onLike, onAdd, onStep }: GroundProps) {
  const [beyond, setBeyond] = useState<number | null>(
    mend.depth_um === null ? null : Math.round(0.9 * mend.depth_um),
  );
  const [to, setTo] = useState("black");
  const [grey, setGrey] = useState(0.5);
  const tone = (of: string, level = grey) => (of === "grey" ? [level, level, level] : of);
  const inMicrons = mend.depth_unit === "µm";
  const set = (change: Partial<Step>) => ground && onStep({ ...ground.step, ...change });
  return (
    <div className="space-y-2">
      <Choice
        beside
        label="To"
        value={to}
        options={TO}
        onChange={(value) => {
          setTo(value);
          set({ to: tone(value) });
        }}
      />
      {to === "grey" && (
        <Range
          compact
          label="Grey"
          value={grey}
          least={0}
          most={1}
          step={0.05}
          told={percent(grey)}
          onChange={(value) => {
            setGrey(value);
            set({ to: tone("grey", value) });
          }}
        />
      )}
      {inMicrons ? (
        <>
          <NumberField label="Farther than" unit="µm" value={beyond} onChange={setBeyond} />
          <Button
            disabled={beyond === null}
            onClick={() => onStep({ kind: "ground", farther_than_um: beyond, to: tone(to) })}
          >
            Ground by depth
          </Button>
        </>
      ) : (
        <p className="text-ink2">
          The depth of this merge is in frames, not in µm: choose the ground by its looks, or what shows
          nothing.
        </p>
      )}
      <Button onClick={() => onStep({ kind: "ground", plain: true, to: tone(to) })}>
        Ground that shows nothing
      </Button>
      <Button aria-pressed={like} onClick={onLike}>
        {like ? "Click a place of the ground" : "Ground like a place"}
      </Button>
      {ground && (
        <>
          <Range
            compact
            label="Feather"
            value={Number(ground.step.feather_px ?? 3)}
            least={0}
            most={30}
            step={1}
            told={`${ground.step.feather_px ?? 3} px`}
            onChange={(feather_px) => set({ feather_px })}
          />
          <fieldset className="flex gap-2" aria-label="The brush">
            <Button
              aria-pressed={add}
              className="px-3 aria-pressed:bg-amber-wash"
              onClick={() => onAdd(true)}
            >
              Brush adds
            </Button>
            <Button
              aria-pressed={!add}
              className="px-3 aria-pressed:bg-amber-wash"
              onClick={() => onAdd(false)}
            >
              Brush takes away
            </Button>
          </fieldset>
        </>
      )}
    </div>
  );
}
