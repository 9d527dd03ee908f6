import { useLayoutEffect, useRef, useState } from "react";
import { plural, trimmed } from "../lib/numbers";
import type { LadderDrawing, Rung } from "./layout";
import { ticks } from "./layout";

const LEFT = 60;
const RIGHT = 18;
const TOP = 16;
const BOTTOM = 18;

interface Props {
  drawing: LadderDrawing;
  /** What the rungs tell at this stage, beside the heading. */
  caption: string;
  chosen?: number | null;
  onChoose?: (rung: Rung) => void;
  /** Rungs that gave paint. */
  lit?: ReadonlySet<number>;
}

/** The stack as a ladder in the specimen's depth: nearest on top, a rung is a button. */
export function Ladder({ drawing, caption, chosen = null, onChoose, lit }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const [size, setSize] = useState({ width: 264, height: 600 });
  useLayoutEffect(() => {
    const element = box.current;
    if (!element) return;
    const watch = new ResizeObserver(([entry]) => {
      if (entry) setSize({ width: entry.contentRect.width, height: entry.contentRect.height });
    });
    watch.observe(element);
    return () => watch.disconnect();
  }, []);

  const { rungs, halfBand, near, far, length } = drawing;
  const inner = Math.max(size.height - TOP - BOTTOM, 40);
  const span = Math.max(length + 2 * halfBand, 1e-9);
  const y = (depth: number) => TOP + ((depth + halfBand) / span) * inner;
  const right = size.width - RIGHT;
  const merged = rungs.some((rung) => rung.share !== null);

  return (
    <section
      aria-label="Ladder"
      className="flex h-full min-h-0 flex-col border-ink border-r bg-card small:order-5 small:h-[30rem]"
    >
      <div className="flex items-baseline justify-between px-4 pt-3">
        <h2 className="text-[1rem]">Ladder</h2>
        <span className="head text-[0.9375rem] text-ink2">{caption}</span>
      </div>
      <div ref={box} className="relative min-h-0 flex-1">
        <svg width={size.width} height={size.height} role="presentation" className="absolute inset-0">
          {rungs.map((rung) => {
            if (rung.state === "left-out") return null;
            const top = y(rung.depth - halfBand);
            return (
              <rect
                key={rung.index}
                x={LEFT + 4}
                width={right - LEFT - 8}
                y={top}
                height={Math.max(y(rung.depth + halfBand) - top, 1)}
                fill="var(--amber-fill)"
                opacity={lit?.has(rung.index) ? 0.8 : rung.state === "shot" && !merged ? 0.34 : 0.13}
              />
            );
          })}
          {ticks(length).map((tick) => (
            <g key={tick}>
              <line x1={LEFT - 6} x2={LEFT} y1={y(tick)} y2={y(tick)} stroke="var(--ink2)" />
              <text x={LEFT - 10} y={y(tick) + 4} textAnchor="end" fontSize="0.9375rem" fill="var(--ink2)">
                {trimmed(tick.toFixed(2))}
              </text>
            </g>
          ))}
          <line x1={LEFT} x2={LEFT} y1={TOP} y2={TOP + inner} stroke="var(--ink)" strokeWidth="2" />
          <line x1={right} x2={right} y1={TOP} y2={TOP + inner} stroke="var(--ink)" strokeWidth="2" />
          {rungs.map((rung) => (
            <g key={rung.index}>
              <line
                x1={LEFT}
                x2={right}
                y1={y(rung.depth)}
                y2={y(rung.depth)}
                stroke={
                  rung.index === chosen
                    ? "var(--fault)"
                    : rung.state === "shot"
                      ? "var(--amber)"
                      : "var(--ink3)"
                }
                strokeWidth={rung.index === chosen ? 2.5 : 1}
                strokeDasharray={rung.state === "shot" ? undefined : "3 4"}
              />
              {rung.share !== null && (
                <rect
                  x={LEFT + 4}
                  y={y(rung.depth) - 3}
                  height={6}
                  width={Math.max(rung.share * (right - LEFT - 12), rung.share > 0 ? 2 : 0)}
                  fill="var(--amber-fill)"
                  stroke="var(--amber)"
                  strokeWidth="0.8"
                />
              )}
            </g>
          ))}
          {[
            { at: near, label: "nearest point", dy: -5 },
            { at: far, label: "farthest point", dy: -5 },
          ].map(({ at, label, dy }) => (
            <g key={label}>
              <line x1={LEFT} x2={right} y1={y(at)} y2={y(at)} stroke="var(--mark)" strokeWidth="2.5" />
              <text
                x={right - 7}
                y={y(at) + dy}
                textAnchor="end"
                fontSize="0.9375rem"
                className="head"
                fill="var(--mark)"
                stroke="var(--card)"
                strokeWidth="3"
                paintOrder="stroke"
              >
                {label}
              </text>
            </g>
          ))}
          {drawing.gaps.map((gap) => (
            <g key={gap.from}>
              <rect
                x={LEFT + 4}
                width={right - LEFT - 8}
                y={y(gap.from)}
                height={y(gap.to) - y(gap.from)}
                fill="var(--card)"
                stroke="var(--fault)"
                strokeWidth="2"
                strokeDasharray="6 4"
              />
              <text
                x={LEFT + 14}
                y={(y(gap.from) + y(gap.to)) / 2 + 5}
                fontSize="0.9375rem"
                className="head"
                fill="var(--fault)"
              >
                gap {trimmed((gap.to - gap.from).toFixed(1))} µm
              </text>
            </g>
          ))}
        </svg>
        {onChoose && <RungButtons rungs={rungs} y={y} right={right} onChoose={onChoose} chosen={chosen} />}
      </div>
      <p className="px-4 pb-2 text-[0.9375rem] text-ink2">
        {drawing.unplaced > 0
          ? `The planned ladder: where the ${plural(drawing.unplaced, "frame lies", "frames lie")} is not known.`
          : "µm of stage travel from the first rung"}
      </p>
    </section>
  );
}

interface ButtonsProps {
  rungs: Rung[];
  y: (depth: number) => number;
  right: number;
  chosen: number | null;
  onChoose: (rung: Rung) => void;
}

/** One tab stop for all rungs; arrow keys, Home and End climb. */
function RungButtons({ rungs, y, right, chosen, onChoose }: ButtonsProps) {
  const shot = rungs.filter((rung) => rung.frame);
  if (shot.length === 0) return null;
  const current = shot.find((rung) => rung.index === chosen) ?? shot[0];
  const height = Math.max(Math.min(y(rungs[1]?.depth ?? 1) - y(0), 24), 6);
  const climb = (event: React.KeyboardEvent) => {
    const at = current ? shot.indexOf(current) : -1;
    const target = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: shot.length - 1 }[event.key];
    const rung = target === undefined ? undefined : shot[target];
    if (!rung) return;
    event.preventDefault();
    onChoose(rung);
    const parent = event.currentTarget.parentElement;
    parent?.querySelector<HTMLElement>(`[data-rung="${rung.index}"]`)?.focus();
  };
  return (
    <fieldset aria-label="Rungs: arrow keys climb">
      {/* Rungs may lie closer than a finger hits: a click anywhere finds the nearest. The keyboard climbs. */}
      <button
        type="button"
        tabIndex={-1}
        aria-label="The rung that is nearest to the pointer"
        className="absolute inset-y-0 cursor-pointer"
        style={{ left: LEFT, width: right - LEFT }}
        onClick={(event) => {
          const at = event.clientY - event.currentTarget.getBoundingClientRect().top;
          onChoose(
            shot.reduce((best, one) =>
              Math.abs(y(one.depth) - at) < Math.abs(y(best.depth) - at) ? one : best,
            ),
          );
        }}
      />
      {shot.map((rung) => (
        <button
          key={rung.index}
          type="button"
          data-rung={rung.index}
          tabIndex={rung === current ? 0 : -1}
          aria-pressed={rung.index === chosen}
          aria-label={`Rung ${rung.index + 1}, ${rung.frame?.name}${rung.state === "left-out" ? ", left out" : ""}`}
          className="absolute hover:bg-ink/10"
          style={{ left: LEFT, width: right - LEFT, top: y(rung.depth) - height / 2, height }}
          onClick={() => onChoose(rung)}
          onKeyDown={climb}
        />
      ))}
    </fieldset>
  );
}
