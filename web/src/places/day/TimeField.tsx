import { useId } from "react";

interface Props {
  label: string;
  value: string;
  onChange: (time: string) => void;
  /** Without its label beside it; it is still read out. */
  bare?: boolean;
}

/** A time of day. */
export function TimeField({ label, value, onChange, bare = false }: Props) {
  const id = useId();
  return (
    <div className={bare ? "" : "flex min-h-11 items-center justify-between gap-3 border-rule border-b"}>
      <label htmlFor={id} className={bare ? "sr-only" : ""}>
        {label}
      </label>
      <input
        id={id}
        type="time"
        required
        className="min-h-9 border-ink2 border-b border-dotted bg-transparent px-1"
        value={value}
        onChange={(event) => onChange(event.target.value)}
      />
    </div>
  );
}
