import { Dialog } from "radix-ui";
import { type ReactNode, useRef } from "react";

const SIZES = { narrow: "w-[440px]", wide: "w-[940px]", full: "w-full" } as const;

interface Props {
  title: string;
  open: boolean;
  onClose: () => void;
  /** Wide for pictures and tables, full for pictures side by side. */
  size?: keyof typeof SIZES;
  children: ReactNode;
}

const FIRST = "input, select, textarea, button, [href], [tabindex='0']";

/** A sheet from the right edge. It opens on its first control, and gives the focus back to where it came from. */
export function Panel({ title, open, onClose, size = "narrow", children }: Props) {
  const opener = useRef<HTMLElement | null>(null);
  const body = useRef<HTMLDivElement>(null);
  return (
    <Dialog.Root open={open} onOpenChange={(now) => !now && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className={`fixed inset-y-0 right-0 z-40 max-w-full overflow-y-auto border-ink border-l bg-sheet p-5 ${SIZES[size]}`}
          onOpenAutoFocus={(event) => {
            opener.current = document.activeElement as HTMLElement | null;
            const first = body.current?.querySelector<HTMLElement>(FIRST);
            if (!first) return;
            event.preventDefault();
            first.focus();
          }}
          onCloseAutoFocus={(event) => {
            event.preventDefault();
            opener.current?.focus();
          }}
        >
          <div className="mb-3 flex items-center justify-between">
            <Dialog.Title className="text-[1.25rem]">{title}</Dialog.Title>
            <Dialog.Close className="min-h-11 px-2 text-ink2 underline underline-offset-3">
              Close
            </Dialog.Close>
          </div>
          <div ref={body}>{children}</div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
