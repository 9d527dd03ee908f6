import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { api, type Discarded } from "../client/api";
import { refresh } from "../client/live";
import { Button } from "./Button";
import { TextField } from "./Field";
import { Notice } from "./Notice";

const REASONS = ["a trial", "shot again", "entered twice", "wrong specimen", "spoilt"];

interface Props {
  kind: Discarded["kind"];
  id: number;
  /** What it is called, as in "Discard stack 2". */
  what: string;
  /** What goes with it, as a sentence. */
  along?: string;
  onDone?: () => void;
  className?: string;
  /** Words on the button that say what it is about, where it does not stand in a row of its own. */
  label?: string;
}

/** Throws something away once a reason is given; it can be brought back. */
export function Discard({ kind, id, what, along, onDone, className, label }: Props) {
  const [open, setOpen] = useState(false);
  const [why, setWhy] = useState("");
  const queries = useQueryClient();
  const discard = useMutation({
    mutationFn: () => api.discard({ kind, id, why }),
    onSuccess: () => {
      setOpen(false);
      onDone?.();
      refresh(queries);
    },
  });
  return (
    <Dialog.Root
      open={open}
      onOpenChange={(now) => {
        discard.reset();
        setOpen(now);
      }}
    >
      <Dialog.Trigger asChild>
        <Button look="quiet" className={className} aria-label={label ? undefined : `Discard: ${what}`}>
          {label ?? "Discard"}
        </Button>
      </Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-50 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-24 left-1/2 z-60 w-[440px] max-w-[95vw] -translate-x-1/2 rounded-s border border-ink bg-card p-5"
        >
          <Dialog.Title className="mb-1 text-[1.125rem]">Discard {what}?</Dialog.Title>
          <form
            onSubmit={(event) => {
              event.preventDefault();
              event.stopPropagation(); // it may stand inside another form
              if (why.trim()) discard.mutate();
            }}
          >
            <p className="text-ink2">
              {along} It goes out of all lists and can be restored for 30 days at least, under Undo, All that
              was discarded.
            </p>
            <TextField label="Why" value={why} suggestions={REASONS} onChange={setWhy} required />
            {discard.isError && <Notice kind="fault">{discard.error.message}</Notice>}
            <div className="mt-3 flex gap-3">
              <Button type="submit" disabled={!why.trim() || discard.isPending}>
                Discard it
              </Button>
              <Dialog.Close asChild>
                <Button look="quiet">Keep it</Button>
              </Dialog.Close>
            </div>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
