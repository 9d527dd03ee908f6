import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type DayEntry, type Schemas } from "../../client/api";
import { trimmed } from "../../lib/numbers";
import { at, clock } from "../../specimen/day";
import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/Field";
import { Notice } from "../../ui/Notice";
import { TimeField } from "./TimeField";

interface Props {
  on: string;
  entry: DayEntry;
  onSave: (entry: DayEntry) => void;
  saving: boolean;
}

/** Seconds in minutes, to the half. */
const minutes = (seconds?: number) => (seconds === undefined ? undefined : Math.round(seconds / 30) / 2);

/** How long it took in the last months, between runs at the bench. */
function took(spread?: Schemas["Spread"] | null): string | undefined {
  if (!spread) return undefined;
  const [median, low, high] = [spread.median, spread.low, spread.high].map((one) =>
    trimmed((one / 60).toFixed(1)),
  );
  return `Between the runs of the last months it took ${median} min, four of five ${low} to ${high} min (n ${spread.n}).`;
}

/** From when to when, breaks, and how long hands take. */
export function Hours({ on, entry, onSave, saving }: Props) {
  const [mine, setMine] = useState(entry);
  const hands = useQuery({ queryKey: ["hands"], queryFn: api.hands });
  const breaks = mine.breaks ?? [];
  const set = (change: Partial<DayEntry>) => setMine({ ...mine, ...change });
  const setBreak = (place: number, change: Partial<(typeof breaks)[number]>) =>
    set({ breaks: breaks.map((one, index) => (index === place ? { ...one, ...change } : one)) });
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        onSave(mine);
      }}
    >
      <TimeField
        label="From"
        value={clock(mine.starts_at)}
        onChange={(time) => set({ starts_at: at(on, time) ?? mine.starts_at })}
      />
      <TimeField
        label="Until"
        value={clock(mine.ends_at)}
        onChange={(time) => set({ ends_at: at(on, time) ?? mine.ends_at })}
      />
      {breaks.map((one, place) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a break has nothing but its place
        <fieldset key={place} className="border-rule border-b py-1">
          <legend className="float-left pt-2 text-ink2">Break {breaks.length > 1 ? place + 1 : ""}</legend>
          <div className="flex items-center justify-end gap-2">
            <TimeField
              bare
              label={`Break ${place + 1} from`}
              value={clock(one.from_at)}
              onChange={(time) => setBreak(place, { from_at: at(on, time) ?? one.from_at })}
            />
            to
            <TimeField
              bare
              label={`Break ${place + 1} until`}
              value={clock(one.until_at)}
              onChange={(time) => setBreak(place, { until_at: at(on, time) ?? one.until_at })}
            />
            <Button
              look="quiet"
              className="px-2"
              aria-label={`Remove break ${place + 1}`}
              onClick={() => set({ breaks: breaks.filter((_, index) => index !== place) })}
            >
              Remove
            </Button>
          </div>
        </fieldset>
      ))}
      <Button
        className="my-2"
        disabled={breaks.length >= 12}
        onClick={() =>
          set({
            breaks: [...breaks, { from_at: at(on, "15:00") ?? "", until_at: at(on, "15:15") ?? "" }],
          })
        }
      >
        Add a break
      </Button>
      <NumberField
        label="A change of rig"
        unit="min"
        hint={took(hands.data?.change) ?? "Assumed until you set how long it takes you."}
        value={mine.change_min ?? null}
        onChange={(change_min) => set({ change_min: change_min ?? undefined })}
      />
      <NumberField
        label="Setting a specimen up"
        unit="min"
        hint={took(hands.data?.set_up) ?? "Assumed, too: where one takes longer, say so in its row."}
        value={mine.set_up_min ?? null}
        onChange={(set_up_min) => set({ set_up_min: set_up_min ?? undefined })}
      />
      {hands.isError && <Notice kind="fault">{hands.error.message}</Notice>}
      {hands.data?.set_up && (
        <Button
          className="my-2"
          onClick={() =>
            set({
              set_up_min: minutes(hands.data.set_up?.median) ?? mine.set_up_min,
              change_min: minutes(hands.data.change?.median) ?? mine.change_min,
            })
          }
        >
          Use what it took
        </Button>
      )}
      <div className="mt-4">
        <Button look="next" type="submit" disabled={saving}>
          Keep these hours
        </Button>
      </div>
    </form>
  );
}
