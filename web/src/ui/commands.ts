import { useEffect, useRef, useSyncExternalStore } from "react";
import {
  COMMAND_IDS,
  COMMANDS,
  type CommandId,
  changesOf,
  type Keys,
  keyName,
  shippedKeys,
  withChanges,
} from "../lib/commands";

/** What a command does; a pair for one that works while its key is held. */
export type Does = (() => void) | { press: () => void; release: () => void };
export type Handlers = Partial<Record<CommandId, Does>>;

const STORED = "keys";
const listeners = new Set<() => void>();
let keys: Keys = read();

function read(): Keys {
  try {
    return withChanges(JSON.parse(localStorage.getItem(STORED) ?? "{}"));
  } catch {
    return shippedKeys();
  }
}

/** Keep other keys from now on, on this machine. */
export function changeKeys(changed: Keys) {
  keys = changed;
  localStorage.setItem(STORED, JSON.stringify(changesOf(changed)));
  for (const listener of listeners) listener();
}

/** The keys as they are now. */
export function useKeys(): Keys {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => keys,
  );
}

/** For a button that does a command: its hint names the key. */
export function useHint(): (id: CommandId, label?: string) => { title: string } {
  const now = useKeys();
  return (id, label = COMMANDS[id].label) => ({ title: `${label} (key ${keyName(now[id])})` });
}

/** What ticks, and what slides, keep for themselves; nothing is typed in them. */
const TICKED = new Set(["checkbox", "radio", "range"]);
const OF_TICKED = /^( |Arrow.*|Home|End|Page.*)$/;

/** Whether a key belongs to what has the focus: something is typed, ticked, chosen from a list, or a dialog is open. */
function taken({ target, key }: KeyboardEvent): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target.isContentEditable || target.closest("[role=dialog], [role=listbox]")) return true;
  if (target instanceof HTMLInputElement && TICKED.has(target.type)) return OF_TICKED.test(key);
  return /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName);
}

/** Let these commands be done by their keys for as long as the page shows what they belong to. */
export function useCommands(handlers: Handlers) {
  const now = useRef(handlers);
  now.current = handlers;
  useEffect(() => {
    // By the key's place on the keyboard: with Shift down meanwhile, its name at key-up is another.
    const held = new Map<string, CommandId>();
    const press = (event: KeyboardEvent) => {
      if (taken(event) || event.ctrlKey || event.metaKey || event.altKey) return;
      const id = COMMAND_IDS.find((one) => keys[one] === event.key && now.current[one]);
      const does = id && now.current[id];
      if (!id || !does) return;
      // A button that has the focus keeps the space bar for itself.
      if (event.key === " " && event.target instanceof HTMLButtonElement) return;
      event.preventDefault();
      if (typeof does === "function") {
        if (!event.repeat || (COMMANDS[id] as { repeats?: boolean }).repeats) does();
      } else if (!held.has(event.code)) {
        held.set(event.code, id);
        does.press();
      }
    };
    const letGo = (code: string) => {
      const id = held.get(code);
      const does = id && now.current[id];
      held.delete(code);
      if (does && typeof does !== "function") does.release();
    };
    const release = (event: KeyboardEvent) => letGo(event.code);
    const leave = () => {
      for (const code of [...held.keys()]) letGo(code);
    };
    const hide = () => document.hidden && leave();
    window.addEventListener("keydown", press);
    window.addEventListener("keyup", release);
    window.addEventListener("blur", leave);
    document.addEventListener("visibilitychange", hide);
    return () => {
      leave();
      window.removeEventListener("keydown", press);
      window.removeEventListener("keyup", release);
      window.removeEventListener("blur", leave);
      document.removeEventListener("visibilitychange", hide);
    };
  }, []);
}
