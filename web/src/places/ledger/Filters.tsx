import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type LedgerHead } from "../../client/api";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/Field";
import { Flyout } from "../../ui/Flyout";
import { Notice } from "../../ui/Notice";
import { HAVING, SCALES, type Search } from "./search";

type Change = (change: Partial<Search>) => void;
interface Props {
  head: LedgerHead;
  search: Search;
  set: Change;
}

const TRIGGER = "head min-h-11 rounded-s border border-ink bg-card px-3 text-[0.9375rem]";

/** All that can be asked for, as boxes to tick; numbers by their least and most. */
export function AddFilter({ head, search, set }: Props) {
  const groups = [
    ["having", "With", Object.entries(HAVING)],
    ["kind", "Kind", head.kinds.map((one) => [one.word, `${one.word}, ${one.count}`])],
    ["rig", "Rig", head.rigs.map((one) => [one.word, `${one.word}, ${one.count}`])],
    ["medium", "Lies in", head.media.map((one) => [one.word, `${one.word}, ${one.count}`])],
    ["scale", "Scale", Object.entries(SCALES)],
  ] as const;
  return (
    <Flyout
      label="Filters"
      trigger="Add a filter"
      triggerClass={TRIGGER}
      align="start"
      className="max-h-[75vh] w-[560px] overflow-y-auto text-[0.9375rem]"
    >
      <div className="grid grid-cols-2 gap-x-6">
        {groups.map(([key, title, choices]) => (
          <fieldset key={key} className="mb-2">
            <legend className="head">{title}</legend>
            {choices.map(([word = "", words]) => {
              const chosen = search[key] ?? [];
              return (
                <label key={word} className="flex min-h-7 items-center gap-2">
                  <input
                    type="checkbox"
                    checked={chosen.includes(word)}
                    onChange={({ target }) =>
                      set({
                        [key]: target.checked ? [...chosen, word] : chosen.filter((one) => one !== word),
                      })
                    }
                  />
                  {words}
                </label>
              );
            })}
          </fieldset>
        ))}
      </div>
      <Numbers head={head} search={search} set={set} />
      <Days search={search} set={set} />
    </Flyout>
  );
}

function Numbers({ head, search, set }: Props) {
  const columns = head.columns.filter((one) => ["number", "count", "share", "duration"].includes(one.kind));
  const [key, setKey] = useState("effective_f_number");
  const [low, setLow] = useState("");
  const [high, setHigh] = useState("");
  const both = [low, high].map((end) => end.trim().replace(",", "."));
  const usable =
    both.some((end) => end !== "") && both.every((end) => end === "" || Number.isFinite(Number(end)));
  return (
    <form
      className="border-rule border-t pt-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (!usable) return;
        const others = (search.range ?? []).filter((one) => !one.startsWith(`${key}:`));
        set({ range: [...others, `${key}:${both[0]}:${both[1]}`] });
      }}
    >
      <span className="head">A figure between</span>
      <div className="mt-1 flex items-center gap-2">
        <select
          aria-label="Figure"
          className="min-h-9 min-w-0 flex-1 border border-ink2 bg-card px-1"
          value={key}
          onChange={({ target }) => setKey(target.value)}
        >
          {columns.map((one) => (
            <option key={one.key} value={one.key}>
              {one.label}
              {one.unit && one.unit !== "f/" ? `, ${one.unit}` : ""}
            </option>
          ))}
        </select>
        {(
          [
            ["Least", low, setLow],
            ["Most", high, setHigh],
          ] as const
        ).map(([label, value, change]) => (
          <input
            key={label}
            aria-label={label}
            placeholder={label.toLowerCase()}
            inputMode="decimal"
            className="min-h-9 w-20 border border-ink2 bg-card px-2 placeholder:text-ink2 placeholder:opacity-100"
            value={value}
            onChange={({ target }) => change(target.value)}
          />
        ))}
        <Button type="submit" disabled={!usable}>
          Use
        </Button>
      </div>
    </form>
  );
}

function Days({ search, set }: Omit<Props, "head">) {
  return (
    <div className="mt-2 flex items-center gap-4 border-rule border-t pt-2">
      {(["since", "until"] as const).map((key) => (
        <label key={key} className="flex items-center gap-2">
          Shot {key}
          <input
            type="date"
            className="min-h-9 border border-ink2 bg-card px-2"
            value={search[key] ?? ""}
            onChange={({ target }) => set({ [key]: target.value || undefined })}
          />
        </label>
      ))}
    </div>
  );
}

/** Which columns stand in the table; named measures among them. */
export function Columns({ head, shown, set }: { head: LedgerHead; shown: string[]; set: Change }) {
  const all = [
    ...head.columns.map((one) => [one.key, one.label] as const),
    ...head.series.map((one) => [`series:${one}`, `${one} (measure)`] as const),
  ];
  return (
    <Flyout
      label="Columns"
      trigger="Columns"
      triggerClass={TRIGGER}
      align="start"
      className="max-h-[75vh] w-[520px] overflow-y-auto text-[0.9375rem]"
    >
      <div className="grid grid-cols-2 gap-x-6">
        {all.map(([key, label]) => (
          <label key={key} className="flex min-h-8 items-center gap-2">
            <input
              type="checkbox"
              checked={shown.includes(key)}
              onChange={({ target }) =>
                set({
                  column: all
                    .map(([one]) => one)
                    .filter((one) => (one === key ? target.checked : shown.includes(one))),
                })
              }
            />
            {label}
          </label>
        ))}
      </div>
      <Button className="mt-2" onClick={() => set({ column: undefined })}>
        The usual columns
      </Button>
    </Flyout>
  );
}

/** Saves what the address asks for under a name, and forgets it again. */
export function Views({ address, go }: { address: string; go: (search: string) => void }) {
  const queries = useQueryClient();
  const views = useQuery({ queryKey: ["ledgerViews"], queryFn: api.ledgerViews });
  const [name, setName] = useState("");
  const keep = (now: NonNullable<typeof views.data>) => queries.setQueryData(["ledgerViews"], now);
  const save = useMutation({
    mutationFn: () => api.saveLedgerView(name, address),
    onSuccess: (now) => {
      keep(now);
      setName("");
    },
  });
  const forget = useMutation({ mutationFn: (id: number) => api.forgetLedgerView(id), onSuccess: keep });
  return (
    <Flyout
      label="Views"
      trigger="Views"
      triggerClass={TRIGGER}
      align="start"
      className="w-[400px] text-[0.9375rem]"
    >
      <ul>
        {views.data?.map((one) => (
          <li key={one.id} className="flex min-h-10 items-center justify-between gap-3 border-rule border-b">
            <button
              type="button"
              className="min-h-9 underline underline-offset-3"
              onClick={() => go(one.search)}
            >
              {one.name}
            </button>
            <Button look="quiet" aria-label={`Forget ${one.name}`} onClick={() => forget.mutate(one.id)}>
              Forget
            </Button>
          </li>
        ))}
      </ul>
      {views.data?.length === 0 && <p className="text-ink2">No view is saved yet.</p>}
      <form
        className="mt-2"
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim()) save.mutate();
        }}
      >
        <TextField label="Save what is shown as" value={name} onChange={setName} />
        <Button type="submit" disabled={!name.trim() || save.isPending}>
          Save the view
        </Button>
      </form>
      {(save.error ?? forget.error) && <Notice kind="fault">{(save.error ?? forget.error)?.message}</Notice>}
    </Flyout>
  );
}
