import { useState } from "react";
import type { Exercise } from "../../client/api";

interface Props {
  exercise: Exercise;
  at: number;
  onAt: (frame: number) => void;
  marked: ReadonlySet<number>;
  /** Places that were pointed at, and those that would have been right: thousandths, with what they are. */
  pointed: ReadonlyArray<{ name: string; x: number; y: number; right: boolean }>;
  /** Something is to be pointed at. */
  onPlace: ((place: [number, number]) => void) | null;
}

/** The frames of an exercise, one at a time, to be gone through with the arrow keys; what was chosen is ticked below. */
export function Frames({ exercise, at, onAt, marked, pointed, onPlace }: Props) {
  const [failed, setFailed] = useState<number | null>(null);
  const src = `/api/practice/attempts/${exercise.id}/frames/${at}.jpg`;
  return (
    <div className="mt-3">
      <div className="relative w-full max-w-[720px] bg-mat">
        <img
          alt={`Frame ${at + 1} of ${exercise.frames}, simulated`}
          src={src}
          onError={() => setFailed(at)}
          onLoad={() => setFailed(null)}
          className={`block aspect-[3/2] w-full [image-rendering:pixelated] ${onPlace ? "cursor-crosshair" : ""}`}
          onPointerDown={(event) => {
            if (!onPlace) return;
            const box = event.currentTarget.getBoundingClientRect();
            const share = (at: number, from: number, length: number) =>
              Math.round(1000 * Math.min(Math.max((at - from) / length, 0), 1));
            onPlace([share(event.clientX, box.left, box.width), share(event.clientY, box.top, box.height)]);
          }}
        />
        {pointed.map(({ name, x, y, right }) => (
          <span
            key={`${name} ${right}`}
            className={`pointer-events-none absolute size-6 -translate-x-1/2 -translate-y-1/2 border-2 outline-2 outline-black/60 ${right ? "rounded-full border-white" : "border-amber-fill"}`}
            style={{ left: `${x / 10}%`, top: `${y / 10}%` }}
          >
            <span className="absolute -top-1 left-7 whitespace-nowrap rounded-s bg-black/70 px-1 text-[0.875rem] text-white">
              {right ? `${name}, in truth` : name}
            </span>
          </span>
        ))}
        {exercise.places.map(([x = 0, y = 0], n) => (
          <span
            key={`${x} ${y}`}
            className="pointer-events-none absolute size-8 -translate-x-1/2 -translate-y-1/2 rounded-full border-2 border-white outline-2 outline-black/60"
            style={{ left: `${100 * x}%`, top: `${100 * y}%` }}
          >
            <span className="absolute -top-1 left-9 rounded-s bg-black/70 px-1 text-[0.875rem] text-white">
              {n + 1}
            </span>
          </span>
        ))}
        {failed === at && (
          <p className="absolute inset-0 grid place-items-center text-white">
            This frame could not be fetched.
          </p>
        )}
      </div>
      {exercise.frames > 1 && (
        <div className="mt-1 max-w-[720px]">
          <label className="flex items-center gap-3">
            <span className="shrink-0 tabular-nums">
              Frame {at + 1} of {exercise.frames}
            </span>
            <input
              type="range"
              aria-label="Frame"
              min={1}
              max={exercise.frames}
              value={at + 1}
              onChange={(event) => onAt(Number(event.target.value) - 1)}
              className="min-h-11 w-full accent-amber"
            />
          </label>
          <div className="flex gap-px" aria-hidden="true">
            {Array.from({ length: exercise.frames }, (_, n) => (
              <span
                // biome-ignore lint/suspicious/noArrayIndexKey: a frame is its number
                key={n}
                className={`h-2 flex-1 ${marked.has(n) ? "bg-amber-fill" : n === at ? "bg-ink2" : "bg-rule"}`}
              />
            ))}
          </div>
        </div>
      )}
    </div>
  );
}
