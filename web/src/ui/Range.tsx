import { useId } from "react";

interface Props {
  label: string;
  value: number;
  least: number;
  most: number;
  step: number;
  /** The value with its unit, as it is read. */
  told: string;
  onChange: (value: number) => void;
  /** For a narrow column. */
  compact?: boolean;
}

/** A value that is set by feel, with its figure beside it. */
export function Range({ label, value, least, most, step, told, onChange, compact }: Props) {
  const id = useId();
  return (
    <div
      className={`grid items-center gap-2 ${compact ? "grid-cols-[4.6rem_minmax(2rem,1fr)_minmax(5.2rem,auto)]" : "grid-cols-[6.5rem_minmax(0,1fr)_5.5rem]"}`}
    >
      <label htmlFor={id}>{label}</label>
      <input
        id={id}
        type="range"
        min={least}
        max={most}
        step={step}
        value={value}
        aria-valuetext={told}
        className="h-9 w-full accent-(--ink)"
        onChange={(event) => onChange(Number(event.target.value))}
        onDoubleClick={() => onChange(0)}
      />
      <output htmlFor={id} className={`whitespace-nowrap text-right ${compact ? "text-[0.875rem]" : ""}`}>
        {told}
      </output>
    </div>
  );
}
