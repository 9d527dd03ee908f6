import { api, Refusal } from "./api";
import type { Placed } from "./upload";

/** Bringing files into a card: how far it is, and what was not taken. */
export interface Intake {
  files: number;
  done: number;
  bytes: number;
  bytesDone: number;
  /** Files that the card held already. */
  held: number;
  /** Files that are no pictures by their names: they stay where they are. */
  others: number;
  rejected: Array<{ name: string; reason: string }>;
  bytesPerSecond: number | null;
  secondsLeft: number | null;
  /** The server does not answer: it goes on by itself when it does. */
  waiting: boolean;
  running: boolean;
}

const AT_ONCE = 3;
const WAIT_MS = 1000;
const PICTURES =
  /\.(jpe?g|png|tiff?|3fr|arw|cr[23]|dng|erf|iiq|kdc|mef|mos|mrw|nef|nrw|orf|pef|raf|rw2|rwl|srw|x3f)$/i;

const intakes = new Map<number, Intake>();
const stops = new Map<number, AbortController>();
const listeners = new Set<() => void>();

export const subscribe = (listener: () => void) => {
  listeners.add(listener);
  return () => {
    listeners.delete(listener);
  };
};
export const intakeOf = (cardId: number): Intake | undefined => intakes.get(cardId);

function tell(cardId: number, intake: Intake) {
  intakes.set(cardId, { ...intake, rejected: [...intake.rejected] });
  for (const listener of listeners) listener();
}

/** Stop after the files that are on their way. What is in stays in. */
export const stopIntake = (cardId: number) => stops.get(cardId)?.abort();

/**
 * Send files to a card, then have them looked at. What it holds already is not sent again, so that the same folder
 * dropped once more goes on where it was. Goes on while other pages are shown.
 */
export async function bringIn(cardId: number, placed: Placed[], onDone: () => void): Promise<void> {
  const stop = new AbortController();
  stops.set(cardId, stop);
  const pictures = placed.filter(({ path }) => PICTURES.test(path));
  const none: Intake = {
    files: 0,
    done: 0,
    bytes: 0,
    bytesDone: 0,
    held: 0,
    others: 0,
    rejected: [],
    bytesPerSecond: null,
    secondsLeft: null,
    waiting: false,
    running: false,
  };
  let card: Awaited<ReturnType<typeof api.card>> | null;
  try {
    card = await patiently(() => api.card(cardId), stop.signal);
  } catch (error) {
    // Thrown away meanwhile, perhaps: nothing is sent.
    const reason = error instanceof Refusal ? error.message : "cannot be read";
    tell(cardId, { ...none, rejected: [{ name: "This card", reason }] });
    return;
  }
  const held = new Map(card?.files.filter((one) => !one.refused).map((one) => [one.name, one.bytes]));
  const waiting = pictures.filter(({ path, file }) => held.get(path) !== file.size);
  const intake: Intake = {
    ...none,
    files: waiting.length,
    bytes: waiting.reduce((sum, { file }) => sum + file.size, 0),
    held: pictures.length - waiting.length,
    others: placed.length - pictures.length,
    rejected: [],
    running: true,
  };
  tell(cardId, intake);
  const leave = (event: BeforeUnloadEvent) => event.preventDefault();
  window.addEventListener("beforeunload", leave);
  const started = performance.now();
  const send = async () => {
    for (let one = waiting.shift(); one && !stop.signal.aborted; one = waiting.shift()) {
      const { path, file } = one;
      try {
        const kept = await patiently(
          () => api.addCardFile(cardId, path, file),
          stop.signal,
          (silent) => {
            intake.waiting = silent;
            tell(cardId, intake);
          },
        );
        if (kept?.refused) intake.rejected.push({ name: path, reason: kept.refused });
      } catch (error) {
        const reason = error instanceof Refusal ? error.message : "could not be read";
        intake.rejected.push({ name: path, reason: reason.replace(`${path}: `, "") });
      }
      intake.done += 1;
      intake.bytesDone += file.size;
      const seconds = (performance.now() - started) / 1000;
      intake.bytesPerSecond = intake.bytesDone / seconds;
      intake.secondsLeft = (intake.bytes - intake.bytesDone) / Math.max(intake.bytesPerSecond, 1);
      tell(cardId, intake);
    }
  };
  await Promise.all(Array.from({ length: AT_ONCE }, send));
  window.removeEventListener("beforeunload", leave);
  const usable = intake.files - intake.rejected.length + intake.held;
  if (!stop.signal.aborted && usable > 0)
    await patiently(() => api.lookAtCard(cardId), stop.signal).catch(() => {});
  tell(cardId, { ...intake, running: false, secondsLeft: null });
  onDone();
}

/** Ask until somebody answers, or it is stopped. */
async function patiently<T>(
  ask: () => Promise<T>,
  stopped: AbortSignal,
  onSilence: (silent: boolean) => void = () => {},
): Promise<T | null> {
  for (let silent = false; !stopped.aborted; ) {
    try {
      const answer = await ask();
      if (silent) onSilence(false);
      return answer;
    } catch (error) {
      if (!(error instanceof Refusal && error.silent)) throw error;
      if (!silent) onSilence(true);
      silent = true;
      await new Promise((go) => setTimeout(go, WAIT_MS));
    }
  }
  return null;
}
