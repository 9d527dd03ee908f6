import type { LedgerHead } from "../../client/api";
import { duration, trimmed } from "../../lib/numbers";
import { SCALES } from "./search";

type Column = LedgerHead["columns"][number];

/** A value as the table shows it; nothing where nobody knows. */
export function shown(column: Column, value: unknown): string {
  if (value === null || value === undefined) return "";
  if (column.key === "scale_from") return (SCALES[String(value)] ?? String(value)).replace("scale ", "");
  if (typeof value === "number") {
    if (column.kind === "share") return `${trimmed((100 * value).toPrecision(2))} %`;
    if (column.kind === "duration") return duration(value);
    if (column.kind === "count") return String(value);
    const figure = trimmed(Number(value.toPrecision(4)).toString());
    return column.unit === "f/"
      ? `f/${trimmed(value.toFixed(1))}`
      : column.unit === "×"
        ? `${figure}×`
        : figure;
  }
  if (column.kind === "time") return String(value).slice(0, 10);
  return String(value);
}

/** The ladder of a stack in small: the rails, what each stretch gave, gaps boxed in red. */
export function SmallDrawing({ drawing }: { drawing: Record<string, unknown> }) {
  const told = drawing as {
    rungs?: number;
    shot?: boolean;
    bars?: number[];
    gaps?: [number, number][];
    left_out?: number[];
  };
  const bars = told.bars ?? [];
  const lines = Math.min(told.rungs ?? 0, 14);
  const y = (share: number) => 2 + 36 * share;
  const gaps = told.gaps ?? [];
  const words = `${told.rungs ?? 0} rungs${told.shot ? "" : " planned"}${gaps.length > 0 ? `, ${gaps.length} gaps` : ""}`;
  return (
    <svg viewBox="0 0 30 40" className="h-10 w-[30px]" role="img" aria-label={words}>
      {Array.from({ length: lines }, (_, i) => {
        const at = y(lines > 1 ? i / (lines - 1) : 0.5);
        return (
          <path
            // biome-ignore lint/suspicious/noArrayIndexKey: rungs have no other name.
            key={i}
            d={`M3 ${at}H27`}
            stroke="var(--amber)"
            strokeWidth="0.8"
            strokeDasharray={told.shot ? undefined : "2 2"}
          />
        );
      })}
      {bars.map((share, i) => (
        <rect
          // biome-ignore lint/suspicious/noArrayIndexKey: stretches of depth have no other name.
          key={i}
          x="3.5"
          y={y(i / bars.length)}
          width={22 * share}
          height={Math.max(36 / bars.length - 0.4, 0.8)}
          fill="var(--amber-fill)"
        />
      ))}
      {gaps.map(([low, high]) => (
        <rect
          key={low}
          x="2"
          y={y(low)}
          width="26"
          height={Math.max(36 * (high - low), 2.5)}
          fill="none"
          stroke="var(--fault)"
          strokeWidth="1.6"
        />
      ))}
      <path d="M2 1v38M28 1v38" stroke="var(--ink)" strokeWidth="1.8" />
    </svg>
  );
}
