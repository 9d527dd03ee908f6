// biome-ignore-all lint/a11y/useSemanticElements: lines that are drawn only where they are seen are no table
import { useVirtualizer } from "@tanstack/react-virtual";
import { memo, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import type { CardStack } from "../../client/api";
import { cardFileUrl } from "../../client/api";
import { clock, flagWords, relief, type Tape as TapeOf } from "./card";

const CELL = 50;
const THUMB = 35;
const RELIEF = 54;
const LINE = 134;
const PAD = 20;

interface Props {
  tape: TapeOf;
  cursor: number | undefined;
  chosen: ReadonlySet<number>;
  onChoose: (file: number, far: boolean) => void;
  onMove: (from: number, to: number) => void;
}

/** All files of a card as one tape, wrapped in lines, the sharpness as a relief over them, borders as tears in it. */
export function Tape({ tape, cursor, chosen, onChoose, onMove }: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const [width, setWidth] = useState(1200);
  useLayoutEffect(() => {
    const element = scroller.current;
    if (!element) return;
    const watch = new ResizeObserver(([entry]) => entry && setWidth(entry.contentRect.width));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  const across = Math.max(4, Math.floor((width - 2 * PAD) / CELL));
  const heights = useMemo(() => relief(tape), [tape]);
  const lines = Math.ceil(tape.files.length / across);
  const virtual = useVirtualizer({
    count: lines,
    getScrollElement: () => scroller.current,
    estimateSize: () => LINE,
    overscan: 2,
  });
  const at = cursor === undefined ? -1 : (tape.place.get(cursor) ?? -1);
  const line = Math.floor(at / across);
  useEffect(() => {
    if (cursor !== undefined && line >= 0) virtual.scrollToIndex(line, { align: "auto" });
  }, [cursor, line, virtual]);
  return (
    // Drawn only where it is seen.
    <div ref={scroller} className="min-h-0 overflow-y-auto small:h-[60vh]">
      <div
        role="grid"
        tabIndex={0}
        aria-label="Files in the order of shooting: arrow keys move along"
        aria-rowcount={lines}
        aria-activedescendant={at >= 0 ? `file-${cursor}` : undefined}
        className="relative"
        style={{ height: virtual.getTotalSize() }}
      >
        {virtual.getVirtualItems().map((item) => (
          <Line
            key={item.key}
            top={item.start}
            row={item.index}
            from={item.index * across}
            to={Math.min((item.index + 1) * across, tape.files.length)}
            {...{ tape, cursor, chosen, heights, onChoose, onMove }}
          />
        ))}
      </div>
    </div>
  );
}

interface LineProps extends Props {
  top: number;
  row: number;
  from: number;
  to: number;
  heights: number[];
}

const Line = memo(function Line({
  tape,
  cursor,
  chosen,
  heights,
  top,
  row,
  from,
  to,
  onChoose,
  onMove,
}: LineProps) {
  const files = tape.files.slice(from, to);
  const first = files[0];
  const span = (to - from) * CELL;
  const points = files.map(
    (_, i) => `${i * CELL + CELL / 2},${RELIEF - 6 - (heights[from + i] ?? 0) * (RELIEF - 14)}`,
  );
  return (
    <div
      role="row"
      aria-rowindex={row + 1}
      tabIndex={-1}
      className="absolute inset-x-0"
      style={{ top, height: LINE, paddingLeft: PAD, paddingTop: 18 }}
    >
      <svg width={span} height={RELIEF} className="block" aria-hidden="true">
        <polygon points={`0,${RELIEF} ${points.join(" ")} ${span},${RELIEF}`} fill="var(--amber-wash)" />
        <polyline
          points={`0,${RELIEF} ${points.join(" ")} ${span},${RELIEF}`}
          fill="none"
          stroke="var(--amber)"
          strokeWidth="1.5"
        />
      </svg>
      <div className="flex" role="presentation">
        {files.map((file, i) => {
          const stack = tape.stackOf.get(file.id);
          const reason = tape.reasons.get(file.id);
          const flags = stack?.flags.filter((flag) => flag.file === file.id) ?? [];
          const separator = tape.separators.has(file.id);
          const said = separator ? "separator" : saidOf(reason, flags);
          const here = file.id === cursor;
          return (
            <div
              key={file.id}
              id={`file-${file.id}`}
              role="gridcell"
              data-file={file.id}
              aria-selected={here || chosen.has(file.id)}
              aria-label={`${file.name}${said ? `, ${said}` : ""}`}
              title={`${file.name}${said ? `: ${said}` : ""}`}
              className={`relative cursor-pointer ${here ? "z-10 outline-3 outline-amber" : ""} ${
                chosen.has(file.id) && !here ? "outline-2 outline-ink" : ""
              }`}
              style={{ width: CELL - 2, height: THUMB, marginRight: 2 }}
              onPointerDown={(event) => {
                // The focus stays on the tape: cells come and go.
                event.preventDefault();
                event.currentTarget.closest<HTMLElement>("[role=grid]")?.focus({ preventScroll: true });
                onChoose(file.id, event.shiftKey);
              }}
              tabIndex={-1}
            >
              <img
                alt=""
                draggable={false}
                decoding="async"
                src={cardFileUrl(file.id, "thumb.jpg")}
                className={`h-full w-full bg-mat object-cover ${reason || separator ? "opacity-35" : ""}`}
              />
              {reason && (
                <span className="absolute inset-0 border-2 border-fault border-dashed" aria-hidden="true" />
              )}
              {flags.length > 0 && !reason && (
                <span className="absolute inset-0 border-2 border-fault" aria-hidden="true" />
              )}
              {flags[0] && labelled(tape, files, i) && (
                <span
                  aria-hidden="true"
                  className="head pointer-events-none absolute top-[37px] left-0 whitespace-nowrap text-[0.8125rem] text-fault"
                >
                  {flagWords(flags[0])}
                </span>
              )}
            </div>
          );
        })}
      </div>
      {first && (
        <span className="text-[0.8125rem] text-ink2" aria-hidden="true">
          {[0, 1, 2].some((i) => labelled(tape, files, i))
            ? ""
            : `${first.name.split("/").pop()}, ${clock(first.captured_at)}`}
        </span>
      )}
      {files.map((file, i) => {
        const border = tape.borders.get(file.id);
        return (
          border && (
            <Tear
              key={file.id}
              x={PAD + i * CELL - 1}
              reason={border.reason}
              {...room(tape, files, i)}
              onDrop={(target) => target !== file.id && onMove(file.id, target)}
            />
          )
        );
      })}
    </div>
  );
});

/** Which way a tear's words go, and how far: not into those of the next one. */
function room(tape: TapeOf, files: TapeOf["files"], i: number): { atEnd: boolean; room: number } {
  const after = files.findIndex((file, at) => at > i && tape.borders.has(file.id));
  const alone = after < 0 && !files.slice(0, i).some((file) => tape.borders.has(file.id));
  if (alone && i > files.length / 2) return { atEnd: true, room: i * CELL };
  return { atEnd: false, room: after < 0 ? 9 * CELL : (after - i) * CELL - 16 };
}

/** A flag has room for its words where the file before has none. */
function labelled(tape: TapeOf, files: TapeOf["files"], i: number): boolean {
  const flagged = (index: number) => {
    const file = files[index];
    return Boolean(file && tape.stackOf.get(file.id)?.flags.some((flag) => flag.file === file.id));
  };
  return flagged(i) && !flagged(i - 1) && !(i > 1 && flagged(i - 2) && labelled(tape, files, i - 2));
}

/** What there is to say of a file, in full. */
function saidOf(reason: string | undefined, flags: CardStack["flags"]): string {
  const wrong = flags.map((flag) => `${flagWords(flag)}: ${flag.reason}`);
  const only =
    reason && !flags.some((flag) => flag.reason === reason) ? `left out: ${reason}` : reason && "left out";
  return [only, ...wrong].filter(Boolean).join("; ");
}

interface TearProps {
  x: number;
  reason: string;
  atEnd: boolean;
  room: number;
  onDrop: (file: number) => void;
}

/** A border between two stacks; with the pointer it is drawn to another file. */
function Tear({ x, reason, atEnd, room, onDrop }: TearProps) {
  const [dx, setDx] = useState<number | null>(null);
  const [from, setFrom] = useState(0);
  const teeth = Array.from({ length: 15 }, (_, i) => `${i % 2 ? 8 : 2},${i * 7}`).join(" ");
  return (
    <>
      <span
        aria-hidden="true"
        title={`${reason}. Draw it to move it.`}
        className="absolute z-20 w-6 cursor-ew-resize touch-none"
        style={{ left: x - 12 + (dx ?? 0), top: 8, height: 104 }}
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          setFrom(event.clientX);
          setDx(0);
        }}
        onPointerMove={(event) => dx !== null && setDx(event.clientX - from)}
        onPointerCancel={() => setDx(null)}
        onPointerUp={(event) => {
          if (dx === null) return;
          setDx(null);
          if (Math.abs(event.clientX - from) < 6 && event.movementY === 0) return;
          const cells = document.elementsFromPoint(event.clientX + 1, event.clientY);
          const id = cells
            .map((one) => (one as HTMLElement).closest<HTMLElement>("[data-file]"))
            .find(Boolean);
          if (id?.dataset.file) onDrop(Number(id.dataset.file));
        }}
      >
        <svg width="24" height="104" aria-hidden="true">
          <polyline
            points={teeth}
            transform="translate(7 0)"
            fill="none"
            stroke="var(--mark)"
            strokeWidth="2.5"
          />
        </svg>
      </span>
      <span
        aria-hidden="true"
        className="head pointer-events-none absolute top-0 z-10 truncate bg-sheet/85 px-1 text-[0.8125rem] text-mark"
        style={{
          maxWidth: Math.min(room, 420),
          ...(atEnd ? { right: `calc(100% - ${x - 8}px)` } : { left: x + 8 }),
        }}
      >
        {reason}
      </span>
    </>
  );
}
