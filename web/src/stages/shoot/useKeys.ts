import { useEffect, useRef } from "react";

/** What each key does; a pair for one that works while it is held. */
export type KeyMap = Record<string, (() => void) | { press: () => void; release: () => void }>;

/** The stage's keys, silent while something is being typed or a dialog is open. */
export function useKeys(keys: KeyMap) {
  const now = useRef(keys);
  now.current = keys;
  useEffect(() => {
    const held = new Set<string>();
    const inUse = (target: EventTarget | null) =>
      target instanceof HTMLElement &&
      (/^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) ||
        target.closest("[role=dialog], [role=listbox]") !== null);
    const press = (event: KeyboardEvent) => {
      if (inUse(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      const does = now.current[event.key];
      if (!does) return;
      // A button that has the focus keeps the space bar for itself.
      if (event.key === " " && event.target instanceof HTMLButtonElement) return;
      event.preventDefault();
      if (typeof does === "function") {
        if (!event.repeat || "[],.".includes(event.key)) does();
      } else if (!held.has(event.key)) {
        held.add(event.key);
        does.press();
      }
    };
    const release = (event: KeyboardEvent) => {
      const does = now.current[event.key];
      if (held.delete(event.key) && does && typeof does !== "function") does.release();
    };
    const leave = () => {
      for (const key of held) {
        const does = now.current[key];
        if (does && typeof does !== "function") does.release();
      }
      held.clear();
    };
    window.addEventListener("keydown", press);
    window.addEventListener("keyup", release);
    window.addEventListener("blur", leave);
    return () => {
      leave();
      window.removeEventListener("keydown", press);
      window.removeEventListener("keyup", release);
      window.removeEventListener("blur", leave);
    };
  }, []);
}
