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
const AT_THE_BENCH: ReadonlyArray<readonly [string, string]> = [
  ["[  ]", "rail: one step nearer, farther"],
  [";  '   ,  .   <  >", "by 1, 10, 100 µm"],
  ["n  f", "run nearer, farther while held"],
  ["Space", "stop the rail, the sweep or the run now"],
  ["b", "back off to the end of the rail"],
  ["m  M", "mark nearest, farthest point here"],
  ["e", "find the ends"],
  ["t  o", "test frame; frame with the flash off"],
  ["s  p  x", "shoot; pause or go on; stop after the rung"],
  ["k  g  w  l", "edges, grid, loose border, loupe"],
];

const rows = (keys: typeof HELP) =>
  keys.map(([key, does]) => (
    <div key={key} className="contents">
      <dt className="head whitespace-nowrap">{key}</dt>
      <dd className="text-ink2">{does}</dd>
    </div>
  ));

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
          className="fixed top-16 left-1/2 z-50 max-h-[85vh] w-[520px] overflow-y-auto -translate-x-1/2 rounded-s border border-ink bg-card p-5"
        >
          <Dialog.Title className="mb-2 text-[18px]">Keys</Dialog.Title>
          <dl className="grid grid-cols-[auto_1fr] gap-x-5 gap-y-1.5">{rows(HELP)}</dl>
          <h3 className="mt-3 mb-1 text-[16px]">On Shoot</h3>
          <dl className="grid grid-cols-[auto_1fr] gap-x-5 gap-y-1">{rows(AT_THE_BENCH)}</dl>
          <Dialog.Close className="mt-3 min-h-11 underline underline-offset-3">Close</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
