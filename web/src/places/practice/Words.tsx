interface Props {
  label: string;
  name: string;
  options: readonly string[];
  value: string | undefined;
  onChange: (value: string) => void;
}

/** One of some words, each on its own line. */
export function Words({ label, name, options, value, onChange }: Props) {
  return (
    <fieldset className="border-rule border-b py-2">
      <legend className="float-left w-full">{label}</legend>
      {options.map((option) => (
        <label key={option} className="flex min-h-9 w-full items-center gap-2.5">
          <input
            type="radio"
            name={name}
            className="size-5 shrink-0 accent-(--amber-fill)"
            checked={value === option}
            onChange={() => onChange(option)}
          />
          {option}
        </label>
      ))}
    </fieldset>
  );
}
