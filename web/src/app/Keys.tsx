import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { api } from "../client/api";
import {
  COMMAND_IDS,
  COMMANDS,
  type CommandId,
  FIXED_KEYS,
  GROUPS,
  type Group,
  keyName,
  shippedKeys,
  whyNot,
} from "../lib/commands";
import { changeKeys, useCommands, useKeys } from "../ui/commands";

const STAGE = /^stage(\d)$/;

/** The keys that work everywhere, and the sheet that lists all of them and changes them. */
export function Keys({ onDim }: { onDim: () => void }) {
  const [open, setOpen] = useState(false);
  const navigate = useNavigate();
  useCommands({
    keys: () => setOpen(true),
    cabinet: () => void navigate({ to: "/" }),
    day: () => void navigate({ to: "/day" }),
    cards: () => void navigate({ to: "/card" }),
    rigs: () => void navigate({ to: "/rigs" }),
    ledger: () => void navigate({ to: "/ledger" }),
    practice: () => void navigate({ to: "/practice" }),
    dim: onDim,
    find: () => document.querySelector<HTMLElement>('input[type="search"]')?.focus(),
  });
  return (
    <Dialog.Root open={open} onOpenChange={setOpen}>
      <Dialog.Trigger className="min-h-11 px-1 hover:text-ink hover:underline">Keys ?</Dialog.Trigger>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/35" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-16 left-1/2 z-50 max-h-[85vh] w-[560px] max-w-[95vw] overflow-y-auto -translate-x-1/2 rounded-s border border-ink bg-card p-5"
        >
          <Dialog.Title className="mb-1 text-[1.125rem]">Keys</Dialog.Title>
          <Sheet />
          <Dialog.Close className="mt-3 min-h-11 underline underline-offset-3">Close</Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Sheet() {
  const keys = useKeys();
  const stages = useQuery({ queryKey: ["stages"], queryFn: api.stages, staleTime: Number.POSITIVE_INFINITY });
  const [waiting, setWaiting] = useState<CommandId | null>(null);
  const [refused, setRefused] = useState<string | null>(null);
  const label = (id: CommandId): string | null => {
    const number = STAGE.exec(id)?.[1];
    if (!number) return COMMANDS[id].label;
    return stages.data?.[Number(number) - 1]?.label ?? null; // a stage that is not built yet has no key
  };
  const take = (event: React.KeyboardEvent) => {
    if (!waiting || ["Shift", "Control", "Alt", "Meta"].includes(event.key)) return;
    event.preventDefault();
    event.stopPropagation();
    const why = event.key === "Escape" ? null : whyNot(keys, waiting, event.key);
    setRefused(why);
    if (why) return;
    if (event.key !== "Escape") changeKeys({ ...keys, [waiting]: event.key });
    setWaiting(null);
  };
  const changed = COMMAND_IDS.some((id) => keys[id] !== COMMANDS[id].key);
  return (
    <>
      <p className="mb-2 text-[0.9375rem] text-ink2">
        Choose a key to change it, then press another. A foot switch that sends a key will do.
      </p>
      {(Object.keys(GROUPS) as Group[]).map((group) => (
        <section key={group} aria-label={GROUPS[group]}>
          <h3 className="mt-3 mb-1 text-[1rem]">{GROUPS[group]}</h3>
          <ul>
            {COMMAND_IDS.filter((id) => COMMANDS[id].group === group).map((id) => {
              const name = label(id);
              return (
                name && (
                  <li key={id} className="grid grid-cols-[150px_1fr] items-center gap-x-4">
                    <button
                      type="button"
                      aria-label={`${name}: key ${keyName(keys[id])}, change it`}
                      className="head min-h-8 rounded-s px-1 text-left hover:bg-rule/50"
                      onClick={() => {
                        setWaiting(id);
                        setRefused(null);
                      }}
                      onKeyDown={waiting === id ? take : undefined}
                      onBlur={() => waiting === id && setWaiting(null)}
                    >
                      {waiting === id ? "press a key …" : keyName(keys[id])}
                    </button>
                    {waiting === id && refused ? (
                      <span role="alert" className="text-fault">
                        {refused} Press another, or Esc.
                      </span>
                    ) : (
                      <span className="text-ink2">{name}</span>
                    )}
                  </li>
                )
              );
            })}
            {FIXED_KEYS.filter(([where]) => where === group).map(([, key, does]) => (
              <li key={key} className="grid grid-cols-[150px_1fr] items-center gap-x-4">
                <span className="head px-1 py-1">{key}</span>
                <span className="text-ink2">{does}</span>
              </li>
            ))}
          </ul>
        </section>
      ))}
      {changed && (
        <button
          type="button"
          className="mt-3 mr-6 min-h-11 underline underline-offset-3"
          onClick={() => changeKeys(shippedKeys())}
        >
          All keys as they ship
        </button>
      )}
    </>
  );
}
