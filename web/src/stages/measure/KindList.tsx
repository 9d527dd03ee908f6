import type { MeasureKind } from "../../client/api";
import { KINDS, type Kind, ORDER } from "./kinds";

/** All kinds of measures, to choose one. */
export function KindList({
  kinds,
  chosen,
  hasDepth,
  onChoose,
}: {
  kinds: MeasureKind[];
  chosen: Kind;
  hasDepth: boolean;
  onChoose: (kind: Kind) => void;
}) {
  const needs = (one: Kind) => kinds.find(({ kind }) => kind === one)?.needs_depth ?? false;
  return (
    <fieldset>
      <legend className="sr-only">What to measure</legend>
      {[false, true].map((deep) => (
        <div key={String(deep)}>
          <h2 className="mt-2 text-[0.9375rem] text-ink2">{deep ? "With depth" : "In the picture"}</h2>
          {ORDER.filter((one) => needs(one) === deep).map((one) => (
            <label
              key={one}
              className={`flex min-h-8 cursor-pointer items-center gap-2 border-l-4 pl-2 has-focus-visible:outline-2 ${one === chosen ? "border-amber bg-amber-wash font-bold" : "border-transparent"} ${deep && !hasDepth ? "text-ink3" : ""}`}
            >
              <input
                type="radio"
                name="measure-kind"
                className="sr-only"
                checked={one === chosen}
                disabled={deep && !hasDepth}
                onChange={() => onChoose(one)}
              />
              {KINDS[one].label}
            </label>
          ))}
          {deep && !hasDepth && (
            <p className="text-[0.875rem] text-ink2">
              This merge knows no depth in µm: its step or positions were not known.
            </p>
          )}
        </div>
      ))}
    </fieldset>
  );
}
