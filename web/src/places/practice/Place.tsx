import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/Field";

interface Props {
  label: string;
  /** Thousandths of width and height. */
  value: readonly number[] | undefined;
  /** The next click in the picture says this one. */
  pointing: boolean;
  onPoint: () => void;
  onChange: (place: number[] | null) => void;
}

/** A place in the picture: pointed at, or told in per cent of width and height. */
export function Place({ label, value, pointing, onPoint, onChange }: Props) {
  const share = (which: 0 | 1) => (value?.[which] === undefined ? null : value[which] / 10);
  const told = (which: 0 | 1) => (percent: number | null) => {
    if (percent === null) return;
    const other = value ?? [500, 500];
    const now = Math.round(Math.min(Math.max(percent, 0), 100) * 10);
    onChange(which === 0 ? [now, other[1] ?? 500] : [other[0] ?? 500, now]);
  };
  return (
    <fieldset className="border-rule border-b py-2">
      <legend className="float-left w-full">{label}</legend>
      <Button className="mt-1 w-full" aria-pressed={pointing} onClick={onPoint}>
        {pointing ? "Now click in the picture" : value ? "Point anew" : "Point at it"}
      </Button>
      <NumberField label="From the left" unit="%" optional value={share(0)} onChange={told(0)} />
      <NumberField label="From the top" unit="%" optional value={share(1)} onChange={told(1)} />
    </fieldset>
  );
}
