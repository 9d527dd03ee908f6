import { Select } from "radix-ui";
import { useId } from "react";

interface Props {
  label: string;
  value: string;
  options: ReadonlyArray<{ value: string; label: string }>;
  onChange: (value: string) => void;
  /** Label above (in forms) or beside (in rows of figures). */
  beside?: boolean;
}

/** One of several. */
export function Choice({ label, value, options, onChange, beside = false }: Props) {
  const id = useId();
  return (
    <div
      className={beside ? "flex min-h-11 items-center justify-between gap-3 border-rule border-b" : "py-1.5"}
    >
      <span id={id} className={beside ? "shrink-0" : "mb-0.5 block text-ink2"}>
        {label}
      </span>
      <Select.Root value={value} onValueChange={onChange}>
        <Select.Trigger
          aria-labelledby={id}
          className={
            beside
              ? "min-h-9 min-w-0 truncate border-ink2 border-b border-dotted px-1 text-right"
              : "flex min-h-11 w-full items-center justify-between rounded-s border border-ink2 bg-card px-2.5"
          }
        >
          <Select.Value />
          <Select.Icon className="ml-1.5 text-[0.9375rem]" aria-hidden="true">
            ▾
          </Select.Icon>
        </Select.Trigger>
        <Select.Portal>
          <Select.Content position="popper" className="z-50 max-h-80 rounded-s border border-ink bg-card">
            <Select.Viewport>
              {options.map((option) => (
                <Select.Item
                  key={option.value}
                  value={option.value}
                  className="flex min-h-11 cursor-pointer items-center px-3 outline-none data-[highlighted]:bg-amber-wash data-[state=checked]:font-bold"
                >
                  <Select.ItemText>{option.label}</Select.ItemText>
                </Select.Item>
              ))}
            </Select.Viewport>
          </Select.Content>
        </Select.Portal>
      </Select.Root>
    </div>
  );
}
