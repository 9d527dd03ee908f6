import { useEffect, useRef, useState } from "react";
import type { Bench, BenchRun, Growth, Schemas } from "../../client/api";

/** The figures of one moment of the live view. */
export interface Moment {
  sharpness: number | null;
  position_um: number | null;
  moving: boolean;
  ready_in_s: number;
  search: Bench["search"];
  run: BenchRun | null;
  growth: Growth | null;
  place: LitPlace | null;
}

/** What a marked place gives now: stops below full scale, and the best so far. */
export interface LitPlace {
  place: Schemas["PlaceEntry"];
  stops: number;
  clipped: boolean;
  best: Schemas["BestView"] | null;
}

export interface LivePictures {
  field: ImageBitmap | null;
  edges: ImageBitmap | null;
  loupe: ImageBitmap | null;
}

const PARTS = 4;

/** Cut whole moments off the front of what has arrived; returns their parts and what is left. */
export function cut(arrived: Uint8Array): { moments: Uint8Array[][]; rest: Uint8Array } {
  const moments: Uint8Array[][] = [];
  let at = 0;
  for (;;) {
    if (arrived.length - at < 4 * PARTS) break;
    const view = new DataView(arrived.buffer, arrived.byteOffset + at);
    const lengths = Array.from({ length: PARTS }, (_, i) => view.getUint32(4 * i));
    const whole = 4 * PARTS + lengths.reduce((sum, one) => sum + one, 0);
    if (arrived.length - at < whole) break;
    let start = at + 4 * PARTS;
    moments.push(
      lengths.map((length) => {
        const part = arrived.subarray(start, start + length);
        start += length;
        return part;
      }),
    );
    at += whole;
  }
  return { moments, rest: arrived.slice(at) };
}

async function bitmap(part: Uint8Array | undefined, type: string): Promise<ImageBitmap | null> {
  return part && part.length > 0 ? createImageBitmap(new Blob([part.slice()], { type })) : null;
}

/** Follow the live view; `draw` gets the pictures of each moment, the result its figures. */
export function useLive(
  loupe: { x: number; y: number } | null,
  draw: (pictures: LivePictures) => void,
): { moment: Moment | null; rate: number } {
  const [moment, setMoment] = useState<Moment | null>(null);
  const [rate, setRate] = useState(0);
  const paint = useRef(draw);
  paint.current = draw;
  const [x, y] = [loupe?.x, loupe?.y];
  useEffect(() => {
    const leave = new AbortController();
    const words = x === undefined || y === undefined ? "" : `?x=${x}&y=${y}`;
    const follow = async () => {
      const answer = await fetch(`/api/bench/live${words}`, { signal: leave.signal });
      const reader = answer.body?.getReader();
      if (!answer.ok || !reader) throw new Error("no live view");
      let rest: Uint8Array = new Uint8Array();
      const times: number[] = [];
      for (;;) {
        const { done, value } = await reader.read();
        if (done || leave.signal.aborted) return;
        const joined = new Uint8Array(rest.length + value.length);
        joined.set(rest);
        joined.set(value, rest.length);
        const found = cut(joined);
        rest = found.rest;
        // Only the newest is drawn: a page that was busy does not lag behind.
        const parts = found.moments.at(-1);
        if (!parts) continue;
        setMoment(JSON.parse(new TextDecoder().decode(parts[0])) as Moment);
        const [field, edges, magnified] = await Promise.all([
          bitmap(parts[1], "image/jpeg"),
          bitmap(parts[2], "image/png"),
          bitmap(parts[3], "image/jpeg"),
        ]);
        if (leave.signal.aborted) return;
        paint.current({ field, edges, loupe: magnified });
        times.push(performance.now());
        if (times.length > 20) times.shift();
        const span = (times.at(-1) ?? 0) - (times[0] ?? 0);
        if (span > 0) setRate((1000 * (times.length - 1)) / span);
      }
    };
    const again = async () => {
      while (!leave.signal.aborted) {
        try {
          await follow();
        } catch {
          setMoment(null); // the server is away: nothing on the page may look alive
        }
        await new Promise((resolve) => setTimeout(resolve, 1000));
      }
    };
    void again();
    return () => leave.abort();
  }, [x, y]);
  return { moment, rate };
}

/** The sharpness met at each place of the rail, the newest reading of each. */
export function useCurve(moment: Moment | null): ReadonlyArray<readonly [number, number]> {
  const seen = useRef(new Map<number, number>());
  const [curve, setCurve] = useState<ReadonlyArray<readonly [number, number]>>([]);
  const at = moment?.position_um ?? null;
  const sharpness = moment?.sharpness ?? null;
  useEffect(() => {
    if (at === null || sharpness === null) return;
    seen.current.set(Math.round(at / 5) * 5, sharpness);
    if (seen.current.size > 4000) seen.current.delete(seen.current.keys().next().value as number);
    setCurve([...seen.current].sort((a, b) => a[0] - b[0]));
  }, [at, sharpness]);
  return curve;
}
