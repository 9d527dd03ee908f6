import { Dialog } from "radix-ui";
import type { ReactNode } from "react";

interface Props {
  title: string;
  open: boolean;
  onClose: () => void;
  /** For pictures and tables. */
  wide?: boolean;
  children: ReactNode;
}

/** A sheet from the right edge, for entering something new. */
export function Panel({ title, open, onClose, wide = false, children }: Props) {
  return (
    <Dialog.Root open={open} onOpenChange={(now) => !now && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className={`fixed inset-y-0 right-0 z-40 max-w-full overflow-y-auto border-ink border-l bg-sheet p-5 ${wide ? "w-[940px]" : "w-[440px]"}`}
        >
          <div className="mb-3 flex items-center justify-between">
            <Dialog.Title className="text-[20px]">{title}</Dialog.Title>
            <Dialog.Close className="min-h-11 px-2 text-ink2 underline underline-offset-3">
              Close
            </Dialog.Close>
          </div>
          {children}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
