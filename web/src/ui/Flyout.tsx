import { Popover } from "radix-ui";
import type { ReactNode } from "react";

interface Props {
  label: string;
  /** The button that opens it: what stands in it, and how it looks. */
  trigger: ReactNode;
  triggerClass: string;
  hint?: { title?: string; "aria-keyshortcuts"?: string };
  align: "start" | "end";
  className: string;
  open?: boolean;
  onOpenChange?: (open: boolean) => void;
  children: ReactNode;
}

/** A small sheet that hangs from a button of the header. */
export function Flyout(props: Props) {
  return (
    <Popover.Root open={props.open} onOpenChange={props.onOpenChange}>
      <Popover.Trigger className={props.triggerClass} {...props.hint}>
        {props.trigger}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label={props.label}
          align={props.align}
          sideOffset={4}
          className={`z-50 max-w-[95vw] rounded-s border border-ink bg-card p-4 ${props.className}`}
        >
          {props.children}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
