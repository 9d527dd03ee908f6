import type { Stack } from "../../client/api";
import { digits, plural, plusMinus, trimmed } from "../../lib/numbers";

const division = (value: number) => trimmed(digits(value, 4));

/** Where no rail moves: what the knob must read, or what the body must be told. */
export function TurnPanel({ stack }: { stack: Stack }) {
  const { knob, focus_unit, near_um } = stack.plan;
  const { ladder } = stack;
  const first = ladder.readings?.[0];
  if (knob && first)
    return (
      <section aria-label="Knob">
        <h2 className="text-[1rem]">Knob, turned by hand</h2>
        <dl>
          <Line name="Nearest point in focus at">{division(knob.near_reading)}</Line>
          <Line name="First rung at">{division(first.division)}</Line>
          <Line name="Each rung further by">{`${division(ladder.step_um / knob.um_per_division)} divisions`}</Line>
        </dl>
        <p className="mt-1 text-[0.875rem] text-ink2">
          {knob.u_um_per_division == null
            ? "The scale is only engraved: how true it is nobody measured, and depths are as uncertain."
            : `A division is ${plusMinus(knob.um_per_division, knob.u_um_per_division, "µm")}.`}{" "}
          Turn one way only.
        </p>
      </section>
    );
  if (!focus_unit) return null;
  const before = Math.round((near_um - (ladder.positions_um[0] ?? near_um)) / focus_unit.um_per_unit);
  return (
    <section aria-label="Body">
      <h2 className="text-[1rem]">A body that brackets by itself</h2>
      <dl>
        <Line name="Frames">{String(ladder.frames)}</Line>
        <Line name="Step">{String(ladder.step_units ?? "")}</Line>
        <Line name="Start nearer than the nearest point by">{plural(before, "step")}</Line>
        <Line name="Direction">near to far</Line>
      </dl>
      <p className="mt-1 text-[0.875rem] text-ink2">
        Enter this on the body, begin the series here, then release. Every file in the watched folder takes
        its rung by the number in its name.
      </p>
    </section>
  );
}

function Line({ name, children }: { name: string; children: string }) {
  return (
    <div className="flex justify-between gap-3 border-rule border-b py-1.5">
      <dt className="text-ink2">{name}</dt>
      <dd className="head tabular-nums">{children}</dd>
    </div>
  );
}
