import { ToggleGroup } from "radix-ui";

interface Props<T extends string> {
  label: string;
  value: T;
  options: ReadonlyArray<{ value: T; label: string }>;
  onChange: (value: T) => void;
}

/** One of a few, all in sight. */
export function OneOf<T extends string>({ label, value, options, onChange }: Props<T>) {
  return (
    <ToggleGroup.Root
      type="single"
      aria-label={label}
      value={value}
      // The chosen one, pressed again, stays chosen.
      onValueChange={(chosen) => chosen && onChange(chosen as T)}
      className="flex overflow-hidden rounded-s border border-ink2"
    >
      {options.map((option) => (
        <ToggleGroup.Item
          key={option.value}
          value={option.value}
          className="min-h-9 border-ink2 border-l px-3 first:border-l-0 hover:bg-sheet data-[state=on]:bg-ink data-[state=on]:text-card"
        >
          {option.label}
        </ToggleGroup.Item>
      ))}
    </ToggleGroup.Root>
  );
}
