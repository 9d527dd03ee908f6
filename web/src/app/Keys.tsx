import { useNavigate, useParams } from "@tanstack/react-router";
import { Dialog } from "radix-ui";
import { useEffect, useState } from "react";

const STAGES = ["plan", "shoot", "merge", "record"] as const;
const HELP: ReadonlyArray<readonly [string, string]> = [
  ["?", "show these keys"],
  ["c", "cabinet"],
  ["r", "rigs"],
  ["/", "find (in the cabinet)"],
  ["1 – 4", "plan, shoot, merge, record (in a stack)"],
  ["d", "dim room"],
  ["Tab, then ↑ ↓ Home End", "climb the ladder: choose a frame"],
  ["+  −  0  and arrows", "in a picture: zoom, whole picture, move"],
  ["Esc", "close what is open"],
];

function typing(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  );
}

/** The keys that work everywhere, and the sheet that lists them. */
export function Keys() {
  const [open, setOpen] = useState(false);
  const navigate = useNavigate();
  const { stackId } = useParams({ strict: false });
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      const stage = STAGES[Number(event.key) - 1];
      if (event.key === "?") setOpen(true);
      else if (event.key === "c") void navigate({ to: "/" });
      else if (event.key === "r") void navigate({ to: "/rigs" });
      else if (event.key === "d") document.querySelector<HTMLElement>("header [aria-pressed]")?.click();
      else if (event.key === "/") document.querySelector<HTMLElement>('input[type="search"]')?.focus();
      else if (stage && stackId) void navigate({ to: `/stacks/$stackId/${stage}`, params: { stackId } });
      else return;
      event.preventDefault();
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [navigate, stackId]);

  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger className="min-h-11 px-1 hover:text-ink hover:underline">Keys ?</Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-24 left-1/2 z-50 w-[460px] -translate-x-1/2 rounded-s border border-ink bg-card p-5"
        >
          <Dialog.Title className="mb-2 text-[18px]">Keys</Dialog.Title>
          <dl className="grid grid-cols-[auto_1fr] gap-x-5 gap-y-1.5">
            {HELP.map(([key, does]) => (
              <div key={key} className="contents">
                <dt className="head">{key}</dt>
                <dd className="text-ink2">{does}</dd>
              </div>
            ))}
          </dl>
          <Dialog.Close className="mt-3 min-h-11 underline underline-offset-3">Close</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
