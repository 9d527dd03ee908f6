import { useEffect, useId, useState } from "react";
import { trimmed } from "../lib/numbers";
import { isPlain, quantity } from "../lib/quantity";

interface Shell {
  label: string;
  unit?: string;
  hint?: string;
  problem?: string;
}

interface NumberProps extends Shell {
  value: number | null;
  /** What is no number is null, as nothing is; `readable` tells them apart. */
  onChange: (value: number | null, readable: boolean) => void;
  optional?: boolean;
  /** What it comes to while it is not set: shown in its place, and plainly not an entry. Empty while unknown. */
  computed?: string;
}

/** A number with its unit. What cannot be read as a number is kept on screen and said to be none. */
export function NumberField({
  label,
  unit,
  hint,
  problem,
  value,
  onChange,
  optional,
  computed,
}: NumberProps) {
  const id = useId();
  const [text, setText] = useState(value === null ? "" : String(value));
  useEffect(() => {
    setText((shown) => (quantity(shown, unit) === value ? shown : value === null ? "" : String(value)));
  }, [value, unit]);
  const read = quantity(text, unit);
  const unreadable = text.trim() !== "" && read === null;
  const free = text.trim() === "" && computed !== undefined;
  const missing = text.trim() === "" && !optional && !free;
  const shown = unreadable
    ? `This is not a number${unit ? ` of ${unit}` : ""}.`
    : missing
      ? "Enter a number."
      : problem;
  const understood =
    read !== null && !isPlain(text)
      ? `Understood: ${unit === "f/" ? "f/" : ""}${trimmed(String(read))}${unit && unit !== "f/" ? ` ${unit}` : ""}.`
      : undefined;
  const note = [understood, hint].filter(Boolean).join(" ") || undefined;
  return (
    <div className="border-rule border-b py-1">
      <div className="flex min-h-9 items-center justify-between gap-3">
        <label htmlFor={id}>
          {label}
          {free && computed !== "" && <span className="text-[0.9375rem] text-ink2 italic"> computed</span>}
        </label>
        <span className="flex items-baseline gap-1.5">
          <input
            id={id}
            inputMode="decimal"
            autoComplete="off"
            placeholder={computed}
            className={`w-24 border-b bg-transparent px-1 py-0.5 text-right placeholder:text-ink2 placeholder:italic placeholder:opacity-100 ${shown ? "border-fault text-fault" : free ? "border-transparent" : "border-ink2 border-dotted"}`}
            value={text}
            aria-invalid={shown ? true : undefined}
            aria-describedby={shown || note ? `${id}-note` : undefined}
            onChange={(event) => {
              setText(event.target.value);
              const now = quantity(event.target.value, unit);
              onChange(now, now !== null || event.target.value.trim() === "");
            }}
          />
          {unit && <span className="min-w-7 text-ink2">{unit}</span>}
        </span>
      </div>
      <Note id={`${id}-note`} problem={shown} hint={note} />
    </div>
  );
}

interface TextProps extends Shell {
  value: string;
  onChange: (value: string) => void;
  required?: boolean;
  long?: boolean;
  suggestions?: readonly string[];
  /** Not shown while it is typed. */
  secret?: boolean;
  autoComplete?: string;
}

/** A line or a few lines of text, with suggestions that do not bind. */
export function TextField({
  label,
  hint,
  problem,
  value,
  onChange,
  required,
  long,
  suggestions,
  secret,
  autoComplete = "off",
}: TextProps) {
  const id = useId();
  const common = {
    id,
    value,
    required,
    "aria-invalid": problem ? true : undefined,
    "aria-describedby": problem || hint ? `${id}-note` : undefined,
    className: `w-full rounded-s border bg-card px-2.5 py-2 ${problem ? "border-fault" : "border-ink2"}`,
  };
  return (
    <div className="py-1.5">
      <label htmlFor={id} className="mb-0.5 block text-ink2">
        {label}
      </label>
      {long ? (
        <textarea {...common} rows={2} onChange={(event) => onChange(event.target.value)} />
      ) : (
        <input
          {...common}
          type={secret ? "password" : "text"}
          autoComplete={autoComplete}
          list={suggestions ? `${id}-list` : undefined}
          onChange={(event) => onChange(event.target.value)}
        />
      )}
      {suggestions && (
        <datalist id={`${id}-list`}>
          {suggestions.map((one) => (
            <option key={one} value={one} />
          ))}
        </datalist>
      )}
      <Note id={`${id}-note`} problem={problem} hint={hint} />
    </div>
  );
}

/** A yes or no, ticked. */
export function Check({ label, checked, onChange }: CheckProps) {
  return (
    <label className="flex min-h-9 items-center gap-2.5">
      <input
        type="checkbox"
        className="size-5 shrink-0 accent-(--amber-fill)"
        checked={checked}
        onChange={() => onChange(!checked)}
      />
      {label}
    </label>
  );
}

interface CheckProps {
  label: string;
  checked: boolean;
  onChange: (checked: boolean) => void;
}

function Note({ id, problem, hint }: { id: string; problem?: string; hint?: string }) {
  if (!problem && !hint) return null;
  return (
    <p id={id} className={`pb-1 text-[0.9375rem] ${problem ? "text-fault" : "text-ink2"}`}>
      {problem ?? hint}
    </p>
  );
}
