import { Tabs as Radix } from "radix-ui";
import type { ReactNode } from "react";

interface Props {
  label: string;
  value: string;
  onChange: (value: string) => void;
  tabs: ReadonlyArray<{ value: string; label: string; content: ReactNode }>;
}

/** Views of one thing, one at a time. */
export function Tabs({ label, value, onChange, tabs }: Props) {
  return (
    <Radix.Root value={value} onValueChange={onChange}>
      <Radix.List aria-label={label} className="mb-3 flex flex-wrap gap-1 border-rule border-b">
        {tabs.map((tab) => (
          <Radix.Trigger
            key={tab.value}
            value={tab.value}
            className="head -mb-px min-h-11 border-transparent border-b-[3px] px-3 text-[0.9375rem] text-ink2 hover:text-ink data-[state=active]:border-amber-fill data-[state=active]:text-ink"
          >
            {tab.label}
          </Radix.Trigger>
        ))}
      </Radix.List>
      {tabs.map((tab) => (
        <Radix.Content key={tab.value} value={tab.value}>
          {tab.content}
        </Radix.Content>
      ))}
    </Radix.Root>
  );
}
