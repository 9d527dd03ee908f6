import { useEffect, useRef, useState } from "react";
import type { Task } from "../../client/api";
import { plural } from "../../lib/numbers";

export interface Cue {
  kind: "done" | "stopped" | "failed";
  message: string;
}

/** Two tones: rising for done, falling for anything else. */
function ring(good: boolean) {
  const sound = new AudioContext();
  for (const [i, tone] of (good ? [660, 880] : [440, 330]).entries()) {
    const voice = sound.createOscillator();
    const loud = sound.createGain();
    voice.frequency.value = tone;
    loud.gain.value = 0.15;
    voice.connect(loud).connect(sound.destination);
    voice.start(sound.currentTime + 0.22 * i);
    voice.stop(sound.currentTime + 0.22 * i + 0.2);
  }
  setTimeout(() => void sound.close(), 1000);
}

/** A cue when a run that was watched ends, by itself or not; and its sound, unless turned off. */
export function useCue(task: Task | null | undefined, byHand: boolean, sound: boolean) {
  const [cue, setCue] = useState<Cue | null>(null);
  const watched = useRef<number | null>(null);
  useEffect(() => {
    if (task?.kind !== "run") return;
    if (task.state === "running" || task.state === "waiting") {
      watched.current = task.id;
      setCue(null);
      return;
    }
    if (watched.current !== task.id) return;
    watched.current = null;
    const kind = task.state as Cue["kind"];
    // By hand nobody knows how many it will be.
    const count = byHand ? plural(task.done, "frame") : `${task.done} of ${task.total}`;
    setCue({
      kind,
      message:
        kind === "done"
          ? task.message || `Done: ${count} shot`
          : kind === "stopped"
            ? `Stopped: ${count} shot`
            : `Cut off after ${count}`,
    });
    if (sound) ring(kind === "done");
  }, [task, byHand, sound]);
  return { cue, dismiss: () => setCue(null) };
}
