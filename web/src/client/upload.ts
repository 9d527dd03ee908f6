import { Refusal } from "./api";

export interface Rejected {
  name: string;
  reason: string;
}

export interface UploadState {
  total: number;
  done: number;
  rejected: Rejected[];
  secondsLeft: number | null;
}

const AT_ONCE = 3;

/** Send files a few at a time. What is refused is named and left out; the rest goes on. */
export async function upload(
  send: (file: File) => Promise<unknown>,
  files: readonly File[],
  onChange: (state: UploadState) => void,
  stopped: AbortSignal,
): Promise<UploadState> {
  const state: UploadState = { total: files.length, done: 0, rejected: [], secondsLeft: null };
  const waiting = [...files];
  const started = performance.now();
  const worker = async () => {
    for (let file = waiting.shift(); file && !stopped.aborted; file = waiting.shift()) {
      try {
        await send(file);
      } catch (error) {
        const reason = error instanceof Refusal ? error.message : "could not be sent";
        state.rejected.push({ name: file.name, reason: reason.replace(`${file.name}: `, "") });
      }
      state.done += 1;
      const each = (performance.now() - started) / 1000 / state.done;
      state.secondsLeft = each * (state.total - state.done);
      onChange({ ...state, rejected: [...state.rejected] });
    }
  };
  onChange({ ...state });
  await Promise.all(Array.from({ length: AT_ONCE }, worker));
  return state;
}

/** A file with its path, as it lay where it came from. */
export interface Placed {
  path: string;
  file: File;
}

/** The files of a file dialog, with their folders where a folder was chosen. */
export const chosen = (files: Iterable<File>): Placed[] =>
  [...files].map((file) => ({ path: file.webkitRelativePath || file.name, file }));

/** The files of a drop, folders opened one level after the other. */
export async function dropped(transfer: DataTransfer): Promise<Placed[]> {
  const entries = [...transfer.items]
    .map((item) => item.webkitGetAsEntry())
    .filter((entry) => entry !== null);
  if (entries.length === 0) return chosen(transfer.files);
  const found = await Promise.all(entries.map(filesIn));
  return found.flat();
}

async function filesIn(entry: FileSystemEntry): Promise<Placed[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((take, fail) => (entry as FileSystemFileEntry).file(take, fail));
    return [{ path: entry.fullPath.replace(/^\//, ""), file }];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const inside: FileSystemEntry[] = [];
  // A reader hands out a hundred entries at a time until there are no more.
  for (;;) {
    const some = await new Promise<FileSystemEntry[]>((take, fail) => reader.readEntries(take, fail));
    if (some.length === 0) break;
    inside.push(...some);
  }
  return (await Promise.all(inside.map(filesIn))).flat();
}
