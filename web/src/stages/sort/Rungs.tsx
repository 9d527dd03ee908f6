import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import { type Frame, pictureUrl, type Take } from "../../client/api";
import { um } from "../../lib/numbers";

const RUNG = 92;

interface Props {
  take: Take;
  frames: Frame[];
  frame: Frame;
  left: ReadonlyMap<number, string>;
  onPick: (id: number) => void;
}

/** Each rung with its frame, what is sharp in it in the light; what is left out hangs outside, with its reason. */
export function Rungs({ take, frames, frame, left, onPick }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: frames.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => RUNG,
    overscan: 3,
  });
  const at = frames.indexOf(frame);
  useEffect(() => {
    if (at >= 0) virtual.scrollToIndex(at, { align: "auto" });
  }, [at, virtual]);
  const missing = new Map(take.series.holes.map((hole) => [hole.after, hole.missing]));
  return (
    <div ref={scroller} className="min-h-0 flex-1 overflow-y-auto small:h-[60vh] small:flex-none">
      <ol
        aria-label="Frames along the ladder"
        className="relative"
        style={{ height: virtual.getTotalSize() }}
      >
        {virtual.getVirtualItems().map((item) => {
          const one = frames[item.index];
          if (!one) return null;
          const reason = left.get(one.id);
          const hole = missing.get(one.name);
          return (
            <li
              key={one.id}
              aria-posinset={item.index + 1}
              aria-setsize={frames.length}
              className="absolute inset-x-0 px-4"
              style={{ top: item.start, height: RUNG }}
            >
              <button
                type="button"
                aria-pressed={one === frame}
                className={`flex h-[86px] w-full items-center gap-3 rounded-s border text-left hover:border-ink ${
                  one === frame ? "border-amber bg-amber-wash" : "border-transparent"
                } ${reason ? "pl-12" : ""}`}
                onClick={() => onPick(one.id)}
              >
                <img
                  alt=""
                  className={`h-20 w-[120px] shrink-0 bg-mat object-cover ${reason ? "opacity-50 outline-2 outline-fault outline-dashed" : ""}`}
                  src={pictureUrl("frame", one.id, "sharp.jpg")}
                />
                <span className="min-w-0 flex-1">
                  <strong className="block truncate">{one.name}</strong>
                  <span className="block truncate text-ink2">{whereItLies(one)}</span>
                  {reason ? (
                    <span className="line-clamp-2 text-fault">left out: {reason}</span>
                  ) : (
                    one.faults.length > 0 && (
                      <span className="line-clamp-2 text-fault">
                        {one.faults.map((fault) => String(fault.reason)).join("; ")}
                      </span>
                    )
                  )}
                </span>
              </button>
              {hole !== undefined && (
                <span className="absolute right-4 bottom-0 left-4 border-fault border-b-4 border-dotted">
                  <span className="sr-only">{hole} frames are missing behind it</span>
                </span>
              )}
            </li>
          );
        })}
      </ol>
    </div>
  );
}

function whereItLies(frame: Frame): string {
  if (frame.reported_um !== null) return `at ${um(frame.reported_um)}`;
  return frame.planned_um === null ? "where it lies is not known" : `at ${um(frame.planned_um)}, planned`;
}
