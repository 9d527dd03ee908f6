import { useEffect, useState } from "react";
import { moment } from "../lib/numbers";
import { Button } from "./Button";
import { Notice } from "./Notice";

/** An entry that was not saved: as it was left, when, and the revision that it started from. */
export interface Kept<T> {
  value: T;
  at: string;
  from: number | null;
}

interface Draft<T> {
  /** What was left unsaved here before, until it is taken up, dropped, or overtaken by a new entry. */
  kept: Kept<T> | null;
  drop: () => void;
}

/** Keeps an entry in this browser while it is not saved, so that another page, a reload or Esc loses nothing. */
export function useKept<T>(name: string, value: T, dirty: boolean, from: number | null): Draft<T> {
  const key = `draft ${name}`;
  const [kept, setKept] = useState<Kept<T> | null>(() => read<T>(key));
  const text = dirty ? JSON.stringify(value) : null;
  useEffect(() => {
    if (text === null) return;
    localStorage.setItem(
      key,
      JSON.stringify({ value: JSON.parse(text), at: new Date().toISOString(), from }),
    );
    setKept(null);
  }, [key, text, from]);
  return {
    kept,
    drop: () => {
      localStorage.removeItem(key);
      setKept(null);
    },
  };
}

interface Props<T> {
  draft: Draft<T>;
  what: string;
  onTake: (kept: Kept<T>) => void;
}

/** Offers what was left unsaved. */
export function KeptDraft<T>({ draft, what, onTake }: Props<T>) {
  const { kept, drop } = draft;
  if (!kept) return null;
  return (
    <Notice kind="hint" title={`${what}, not saved, of ${moment(kept.at)}.`}>
      <div className="mt-1 flex flex-wrap gap-2">
        <Button onClick={() => onTake(kept)}>Go on with it</Button>
        <Button look="quiet" onClick={drop}>
          Forget it
        </Button>
      </div>
    </Notice>
  );
}

function read<T>(key: string): Kept<T> | null {
  try {
    return JSON.parse(localStorage.getItem(key) ?? "null") as Kept<T> | null;
  } catch {
    return null;
  }
}
