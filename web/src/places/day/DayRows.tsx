import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { DayItem } from "../../client/api";
import { plural, times } from "../../lib/numbers";
import { clock, minutes, whyNot } from "../../specimen/day";
import { Button } from "../../ui/Button";

interface Props {
  items: DayItem[];
  /** The day is past: what was not shot has no times any more. */
  over: boolean;
  /** Which stack comes next. */
  next: number | null;
  onMove: (from: number, to: number) => void;
  onRemove: (stackId: number) => void;
  onTell: (item: DayItem) => void;
}

const STATES = { done: "shot", shooting: "being shot", "to come": "" } as const;

/** What is shot in a day, in order: moved by its buttons or by dragging its row. */
export function DayRows({ items, over, next, onMove, onRemove, onTell }: Props) {
  const [dragged, setDragged] = useState<number | null>(null);
  const first = items.findIndex((one) => one.state === "to come");
  return (
    <ol className="mt-2 border-rule border-t text-[0.9375rem]">
      {items.map((item, place) => {
        const free = item.state === "to come" && !over;
        const missed = item.state === "to come" && over;
        const title = `${item.catalogue_number} ${item.name}`;
        return (
          <li
            key={item.stack_id}
            draggable={free}
            onDragStart={() => setDragged(place)}
            onDragEnd={() => setDragged(null)}
            onDragOver={(event) => dragged !== null && free && event.preventDefault()}
            onDrop={() => {
              if (dragged !== null && dragged !== place) onMove(dragged, place);
              setDragged(null);
            }}
            className={`grid grid-cols-[7.5rem_minmax(0,1fr)_minmax(0,1fr)_auto] items-center gap-x-4 border-rule border-b py-1 small:grid-cols-[7rem_minmax(0,1fr)] ${
              dragged === place ? "opacity-50" : ""
            } ${item.stack_id === next ? "bg-amber-wash" : free ? "hover:bg-card" : "text-ink2"}`}
          >
            <span className="pl-2">
              <span className="font-bold">
                {missed ? "not shot" : `${clock(item.begins_at)}–${clock(item.ends_at)}`}
              </span>
              <span className="block text-[0.875rem] text-ink2">
                {item.stack_id === next && free ? "next" : STATES[item.state]}
                {free && item.merged_at && item.stack_id !== next && `merged by ${clock(item.merged_at)}`}
              </span>
            </span>
            <span className="min-w-0">
              <Link
                className="block min-h-7 truncate py-0.5 font-bold underline-offset-3 hover:underline"
                title={title}
                to="/stacks/$stackId/$stage"
                params={{ stackId: String(item.stack_id), stage: item.state === "done" ? "sort" : "shoot" }}
              >
                {title}
              </Link>
              <span className="block truncate text-[0.875rem] text-ink2">
                stack {item.stack_number}, {plural(item.frames, "frame")}
                {item.by_hand && ", by hand"}
              </span>
            </span>
            <span className="min-w-0 small:col-start-2">
              <span
                className={`block truncate ${item.changes && !missed ? "font-bold" : ""}`}
                title={item.rig_name}
              >
                {item.changes && !missed && "Change to "}
                {item.rig_name}, {times(item.magnification)}
              </span>
              <span className="block text-[0.875rem] text-ink2">
                {free && `set up ${minutes(item.set_up_s)}, `}shoot {minutes(Math.max(60, item.shoot_s))}
              </span>
              {free && item.last_moment && (
                <span className={`block text-[0.875rem] ${item.fits ? "text-ink" : "text-fault"}`}>
                  {item.how === "melts" || item.how === "sublimates" ? item.how : "shot"} by{" "}
                  {clock(item.last_moment)} at the latest
                </span>
              )}
              {free && item.how === "keeps" && (
                <span className="block text-[0.875rem] text-ink2">keeps its shape in that air</span>
              )}
              {item.state === "done" && item.late_s > 0 && (
                <span className="block text-[0.875rem] text-fault">
                  shot {minutes(item.late_s)} after its last moment
                </span>
              )}
              {free && !item.fits && <span className="block text-[0.875rem] text-fault">{whyNot(item)}</span>}
            </span>
            <span className="flex flex-wrap items-center justify-end gap-1 small:col-span-2">
              {free && (
                <>
                  <Button
                    className="px-3"
                    aria-label={`${title} earlier`}
                    disabled={place <= first}
                    onClick={() => onMove(place, place - 1)}
                  >
                    Earlier
                  </Button>
                  <Button
                    className="px-3"
                    aria-label={`${title} later`}
                    disabled={place === items.length - 1}
                    onClick={() => onMove(place, place + 1)}
                  >
                    Later
                  </Button>
                  <Button className="px-3" aria-label={`Time for ${title}`} onClick={() => onTell(item)}>
                    Time …
                  </Button>
                </>
              )}
              <Button
                look="quiet"
                className="px-2"
                aria-label={`Remove ${title} from the list`}
                onClick={() => onRemove(item.stack_id)}
              >
                Remove
              </Button>
            </span>
          </li>
        );
      })}
    </ol>
  );
}
