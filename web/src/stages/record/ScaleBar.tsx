import { useState } from "react";
import type { Recorded } from "../../client/api";
import { trimmed } from "../../lib/numbers";
import { Choice } from "../../ui/Choice";
import { NumberField } from "../../ui/Field";

/** How the scale bar of a saved picture shall look; null: as it fits, for a screen; not a number: nobody can read it. */
export interface Bar {
  bar_um: number | null;
  bar_at: (typeof PLACES)[number];
  bar_colour: (typeof COLOURS)[number];
  printed_mm: number | null;
}

const PLACES = ["below", "bottom right", "bottom left", "top right", "top left"] as const;
const COLOURS = ["by what lies beneath", "white", "black"] as const;
const WIDTHS = [84, 174]; // mm: one column of a journal, and two
const OTHER = "other";
const LONGEST = 0.9; // of the picture's width
const PRINTED_MM = [20, 2000] as const;

export const USUAL: Bar = {
  bar_um: null,
  bar_at: "below",
  bar_colour: "by what lies beneath",
  printed_mm: null,
};

/** What is asked for, as the address of a picture has it. */
export function barQuery(bar: Bar): string {
  const told = (Object.keys(USUAL) as Array<keyof Bar>)
    .filter((key) => bar[key] !== USUAL[key])
    .map((key) => [key, String(bar[key])]);
  return told.length > 0 ? `?${new URLSearchParams(told)}` : "";
}

const wideUm = (label: Recorded) => label.width_px * (label.um_per_px ?? 0);
const inWords = (um: number) =>
  um >= 1000 ? `${trimmed((um / 1000).toPrecision(3))} mm` : `${trimmed(um.toPrecision(3))} µm`;

/** What is wrong with a bar, by field. */
export function barProblems(bar: Bar, label: Recorded): { bar_um?: string; printed_mm?: string } {
  const problems: { bar_um?: string; printed_mm?: string } = {};
  if (Number.isNaN(bar.bar_um)) problems.bar_um = "This is not a number of µm.";
  else if (bar.bar_um !== null && bar.bar_um <= 0) problems.bar_um = "It must be more than 0.";
  else if (bar.bar_um !== null && bar.bar_um > LONGEST * wideUm(label))
    problems.bar_um = `It does not fit: the picture is ${inWords(wideUm(label))} wide.`;
  const [least, most] = PRINTED_MM;
  if (bar.printed_mm !== null && !(bar.printed_mm >= least && bar.printed_mm <= most))
    problems.printed_mm = `From ${least} to ${most} mm.`;
  return problems;
}

const orNothing = (value: number | null) => (Number.isNaN(value) ? null : value);

/** Length, place, colour and size of the scale bar; the picture above shows it. */
export function ScaleBar({
  bar,
  label,
  onChange,
}: {
  bar: Bar;
  label: Recorded;
  onChange: (bar: Bar) => void;
}) {
  const [other, setOther] = useState(false);
  const problems = barProblems(bar, label);
  const width = bar.printed_mm;
  const printed = other || (width !== null && !WIDTHS.includes(width)) ? OTHER : String(width ?? "");
  return (
    <section aria-label="Scale bar" className="mt-3">
      <h2 className="mb-1 text-[1rem]">Scale bar</h2>
      {label.bar === null ? (
        <p className="text-ink2">The scale is not known, so there is no bar; the caption says so.</p>
      ) : (
        <NumberField
          label="Length"
          unit="µm"
          value={orNothing(bar.bar_um)}
          computed={String(label.bar.length_um)}
          problem={problems.bar_um}
          onChange={(um, readable) => onChange({ ...bar, bar_um: readable ? um : Number.NaN })}
        />
      )}
      {label.bar !== null && (
        <Choice
          beside
          label="Place"
          value={bar.bar_at}
          options={PLACES.map((value) => ({
            value,
            label: value === "below" ? "below the picture, with its caption" : `in the picture, ${value}`,
          }))}
          onChange={(bar_at) => onChange({ ...bar, bar_at: bar_at as Bar["bar_at"] })}
        />
      )}
      {bar.bar_at !== "below" && (
        <Choice
          beside
          label="Colour"
          value={bar.bar_colour}
          options={COLOURS.map((value) => ({ value, label: value }))}
          onChange={(bar_colour) => onChange({ ...bar, bar_colour: bar_colour as Bar["bar_colour"] })}
        />
      )}
      <Choice
        beside
        label="Letters for"
        value={printed || "screen"}
        options={[
          { value: "screen", label: "a screen" },
          ...WIDTHS.map((mm) => ({ value: String(mm), label: `print, ${mm} mm wide` })),
          { value: OTHER, label: "print, another width" },
        ]}
        onChange={(value) => {
          setOther(value === OTHER);
          onChange({
            ...bar,
            printed_mm: value === "screen" ? null : value === OTHER ? (width ?? 84) : Number(value),
          });
        }}
      />
      {printed === OTHER && (
        <NumberField
          label="Printed width"
          unit="mm"
          value={orNothing(width)}
          hint="Letters are seven points there."
          problem={problems.printed_mm}
          onChange={(mm) => onChange({ ...bar, printed_mm: mm ?? Number.NaN })}
        />
      )}
    </section>
  );
}
