import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type DayItem, type Schemas } from "../../client/api";
import { duration } from "../../lib/numbers";
import { at, clock, minutes } from "../../specimen/day";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { NumberField } from "../../ui/Field";
import { Notice } from "../../ui/Notice";
import { TimeField } from "./TimeField";

type Item = NonNullable<Schemas["DayEntry"]["items"]>[number];
type Vanishes = Schemas["VanishesEntry"];

interface Props {
  on: string;
  item: DayItem;
  entry: Item;
  onSave: (entry: Item) => void;
  saving: boolean;
}

type Waits = "keeps" | "by" | "snow";

/** How long one specimen takes to set up, and how long it will wait. */
export function ItsTime({ on, item, entry, onSave, saving }: Props) {
  const [setUp, setSetUp] = useState(entry.set_up_min ?? null);
  const [waits, setWaits] = useState<Waits>(entry.vanishes ? "snow" : entry.by_at ? "by" : "keeps");
  const [by, setBy] = useState(entry.by_at ? clock(entry.by_at) : "12:00");
  const [since, setSince] = useState(clock(entry.vanishes?.since ?? new Date().toISOString()));
  const [air, setAir] = useState(entry.vanishes?.air_celsius ?? -6);
  const [humidity, setHumidity] = useState<number | null>(100 * (entry.vanishes?.humidity ?? 0.7));
  const [across, setAcross] = useState<number | null>(entry.vanishes?.size_um ?? 2000);
  const [allowed, setAllowed] = useState<number | null>(entry.vanishes?.allowed_um ?? 50);
  const since_at = at(on, since);
  const vanishes: Vanishes | null =
    humidity === null || across === null || allowed === null || since_at === null
      ? null
      : {
          air_celsius: air,
          humidity: humidity / 100,
          size_um: across,
          allowed_um: allowed,
          since: since_at,
        };
  const { since: _, ...body } = vanishes ?? { since: "" };
  const found = useQuery({
    queryKey: ["vanishing", body],
    queryFn: () => api.vanishing(body as Schemas["VanishingEntry"]),
    enabled: waits === "snow" && vanishes !== null,
    retry: false,
  });
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        onSave({
          stack_id: entry.stack_id,
          set_up_min: setUp,
          by_at: waits === "by" ? at(on, by) : null,
          vanishes: waits === "snow" ? vanishes : null,
        });
      }}
    >
      <NumberField
        label="Setting it up"
        unit="min"
        value={setUp}
        onChange={setSetUp}
        optional
        hint={
          entry.set_up_min == null
            ? `Left open: ${minutes(item.set_up_s)}, as the day assumes.`
            : "Left open, it takes as long as the day assumes."
        }
      />
      <Choice
        label="Does it wait?"
        value={waits}
        options={[
          { value: "keeps", label: "it keeps" },
          { value: "by", label: "it must be shot by a time" },
          { value: "snow", label: "a snow crystal that lies in air" },
        ]}
        onChange={(one) => setWaits(one as Waits)}
      />
      {waits === "by" && (
        <>
          <TimeField label="Its last frame by" value={by} onChange={setBy} />
          <p className="py-1 text-[0.875rem] text-ink2">
            What wilts, dries or wakes up: when it will be too late, as you judge it.
          </p>
        </>
      )}
      {waits === "snow" && (
        <>
          <TimeField label="It lies there since" value={since} onChange={setSince} />
          <NumberField label="Air" unit="°C" value={air} onChange={(one) => one !== null && setAir(one)} />
          <NumberField label="Relative humidity" unit="%" value={humidity} onChange={setHumidity} />
          <NumberField label="Crystal across" unit="µm" value={across} onChange={setAcross} />
          <NumberField label="May shrink by" unit="µm" value={allowed} onChange={setAllowed} />
          {found.isError && <Notice kind="fault">{found.error.message}</Notice>}
          {found.data && (
            <p className="py-2">
              {found.data.seconds === null ? (
                "It keeps its shape in this air."
              ) : (
                <>
                  It {found.data.how} that much in about <strong>{duration(found.data.seconds)}</strong>.
                </>
              )}{" "}
              <span className="text-[0.875rem] text-ink2">{found.data.limits}</span>
            </p>
          )}
        </>
      )}
      <Button look="next" type="submit" className="mt-4" disabled={saving}>
        Keep this
      </Button>
    </form>
  );
}
