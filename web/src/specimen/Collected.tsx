import type { Refusal } from "../client/api";
import { NumberField, TextField } from "../ui/Field";

type Words = "locality" | "collector" | "collected_on" | "determination" | "determined_by" | "determined_on";
type Numbers = "latitude" | "longitude" | "place_within_m";
type Entry = Record<Words, string> & Record<Numbers, number | null>;

const WHERE: ReadonlyArray<readonly [Numbers, string, string, string?]> = [
  ["latitude", "Latitude", "°", "WGS 84; south is negative."],
  ["longitude", "Longitude", "°", "West is negative."],
  ["place_within_m", "That place is true to", "m"],
];
const WHO: ReadonlyArray<readonly [Words, string, string?]> = [
  ["collector", "Collector"],
  ["collected_on", "Collected on", "2026-11-28, 2026-11 or 2026"],
  ["determination", "Determined as"],
  ["determined_by", "Determined by"],
  ["determined_on", "Determined on"],
];

interface Props {
  entry: Entry;
  set: (change: Partial<Entry>) => void;
  refusal: Refusal | null;
  /** What was written on labels before, by entry. */
  before: Record<string, string[]>;
}

/** What a collection asks of a specimen: where and when it was found, by whom, and what it was determined as. */
export function Collected({ entry, set, refusal, before }: Props) {
  return (
    <>
      <TextField
        label="Locality"
        suggestions={before.locality}
        value={entry.locality}
        onChange={(locality) => set({ locality })}
        problem={refusal?.at("locality")}
      />
      <details
        open={WHO.some(([key]) => refusal?.at(key)) || WHERE.some(([key]) => refusal?.at(key)) || undefined}
      >
        <summary className="min-h-11 content-center underline underline-offset-3">
          For a collection: collector, dates, determination, coordinates
        </summary>
        {WHO.map(([key, label, hint]) => (
          <TextField
            key={key}
            label={label}
            hint={hint}
            suggestions={before[key]}
            value={entry[key]}
            onChange={(value) => set({ [key]: value })}
            problem={refusal?.at(key)}
          />
        ))}
        {WHERE.map(([key, label, unit, hint]) => (
          <NumberField
            key={key}
            label={label}
            unit={unit}
            hint={hint}
            optional
            value={entry[key]}
            onChange={(value) => set({ [key]: value })}
            problem={refusal?.at(key)}
          />
        ))}
      </details>
    </>
  );
}
