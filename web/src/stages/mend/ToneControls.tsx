import { useState } from "react";
import type { Mend, Step } from "../../client/api";
import { digits, percent } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { NumberField } from "../../ui/Field";
import { Range } from "../../ui/Range";
import type { Brushed } from "./shapes";

interface ToneProps {
  mend: Mend;
  tone: { number: number; step: Step } | null;
  brushed: Brushed;
  onBrushed: (kind: Brushed) => void;
  onStep: (step: Step) => void;
}

const BY_BRUSH = [
  { value: "sharpen", label: "sharpens" },
  { value: "contrast", label: "lifts contrast" },
  { value: "brighten", label: "brightens" },
  { value: "darken", label: "darkens" },
];

const TONES = [
  { name: "black", label: "Black", usual: 0, least: 0, most: 0.5, step: 0.005, told: percent },
  { name: "white", label: "White", usual: 1, least: 0.5, most: 1, step: 0.005, told: percent },
  { name: "gamma", label: "Curve", usual: 1, least: 0.4, most: 2.5, step: 0.05, told: twoDigits },
  { name: "highlights", label: "Highlights", usual: 0, least: -1, most: 1, step: 0.05, told: twoDigits },
] as const;

function twoDigits(value: number): string {
  return value.toFixed(2).replace("-", "−");
}

/** Tone and detail, after the merge only; over all, or by brush at low strength. */
export function ToneControls({ mend, tone, brushed, onBrushed, onStep }: ToneProps) {
  const kept = tone?.step ?? { kind: "tone" };
  const [draft, setDraft] = useState<Record<string, number>>({});
  const value = (name: string, usual: number) => draft[name] ?? Number(kept[name] ?? usual);
  const [radius, setRadius] = useState<number | null>(mend.sharpen_px);
  const [amount, setAmount] = useState(0.5);
  const wrong = value("white", 1) - value("black", 0) < 0.01;
  return (
    <div className="space-y-2">
      <Choice
        beside
        label="The brush"
        value={brushed}
        options={BY_BRUSH}
        onChange={(kind) => onBrushed(kind as Brushed)}
      />
      {TONES.map(({ name, usual, told, ...range }) => (
        <Range
          key={name}
          compact
          {...range}
          value={value(name, usual)}
          told={told(value(name, usual))}
          onChange={(now) => setDraft({ ...draft, [name]: now })}
        />
      ))}
      <Button
        disabled={wrong || Object.keys(draft).length === 0}
        onClick={() => {
          onStep({ ...kept, ...draft });
          setDraft({});
        }}
      >
        Set tones over all
      </Button>
      <h3 className="border-rule border-t pt-2 text-[0.9375rem]">Detail</h3>
      <NumberField
        label="Radius"
        unit="px"
        value={radius}
        onChange={setRadius}
        hint={`${digits(mend.sharpen_px, 2)} px is how far the Airy disc blurs (standard deviation).`}
      />
      <Range
        compact
        label="Amount"
        value={amount}
        least={0.1}
        most={2}
        step={0.1}
        told={percent(amount)}
        onChange={setAmount}
      />
      <div className="flex flex-wrap gap-2">
        <Button
          className="px-3"
          disabled={radius === null}
          onClick={() => onStep({ kind: "sharpen", radius_px: radius, amount })}
        >
          Sharpen
        </Button>
        <Button
          className="px-3"
          onClick={() => onStep({ kind: "contrast", radius_px: 40, amount: amount / 2 })}
        >
          Local contrast
        </Button>
      </div>
    </div>
  );
}
