import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Part, Refusal, type Rig } from "../../client/api";
import { withSaved } from "../../lib/lists";
import { times } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Discard } from "../../ui/Discard";
import { NumberField, TextField } from "../../ui/Field";
import { KeptDraft, useKept } from "../../ui/Kept";
import { Notice } from "../../ui/Notice";
import { Stale } from "../../ui/Stale";
import { Calibrations } from "./Calibrations";
import {
  AROUND,
  BUILT_FROM,
  type Draft,
  draftOf,
  type Entered,
  entryOf,
  KINDS,
  type Kind,
  KNOB,
  type Knob,
  MEASURED,
  PART_NAMES,
  SENSOR,
  TRAINS,
  withFigure,
  withKind,
  withPart,
} from "./draft";
import { WhatItDoes } from "./WhatItDoes";

const TYPED = "typed in";

interface Props {
  rig: Rig | null;
  parts: readonly Part[];
  onSaved: (rig: Rig) => void;
  /** Whether something was changed that is not saved. */
  onDirty: (dirty: boolean) => void;
  /** Whether a dialog for a measurement is open. */
  onMeasuring: (open: boolean) => void;
  /** The form is to begin anew with what is there now. */
  onStale: () => void;
}

/** A rig put together from the shelf or typed in; what it does beside it, recomputed with every change. */
export function RigForm({ rig, parts, onSaved, onDirty, onMeasuring, onStale }: Props) {
  const [draft, setDraft] = useState<Draft>(() =>
    draftOf(rig?.name ?? "", rig?.rig ?? null, rig?.parts ?? {}),
  );
  const queries = useQueryClient();
  // The version that this form started from: one that was fetched meanwhile must not pass for it.
  const [seen, setSeen] = useState(rig?.version);
  const [initial] = useState(draft);
  const changed = draft !== initial;
  const entry = entryOf(draft);
  const preview = useQuery({
    queryKey: ["rig-preview", { ...entry, name: "preview" }],
    queryFn: () => api.tryRig({ ...(entry as NonNullable<typeof entry>), name: "preview" }, 1),
    enabled: entry !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const save = useMutation({
    mutationFn: ({ body, over }: { body: NonNullable<typeof entry>; over: boolean }) =>
      rig ? api.editRig(rig.id, body, over ? undefined : seen) : api.addRig(body),
    onSuccess: (saved) => {
      queries.setQueryData<Rig[]>(["rigs"], (all) => withSaved(all, saved));
      left.drop();
      setSeen(saved.version);
      onDirty(false);
      onSaved(saved);
    },
  });
  const left = useKept(rig ? `rig ${rig.id}` : "new rig", draft, changed && !save.isSuccess, seen ?? null);
  const refusal = [save.error, preview.error].find((error) => error instanceof Refusal) as
    | Refusal
    | undefined;
  const change = (next: Draft) => {
    save.reset();
    onDirty(true);
    setDraft(next);
  };
  const field = (
    one: Entered,
    value: number | null,
    problem: string,
    set: (value: number | null) => void,
  ) => (
    <NumberField
      key={`${draft.kind} ${problem}`}
      {...fieldOf(one)}
      value={value}
      onChange={set}
      problem={refusal?.at(problem)}
    />
  );

  return (
    <div className="grid h-full grid-cols-[clamp(280px,29vw,372px)_minmax(0,1fr)] grid-rows-[minmax(0,1fr)] small:block small:h-auto">
      <form
        noValidate
        // Radix lays a hidden select beside each choice: it belongs into what scrolls, or the page itself would.
        className="relative overflow-y-auto border-rule border-r p-4"
        onSubmit={(event) => {
          event.preventDefault();
          if (entry) save.mutate({ body: entry, over: false });
        }}
      >
        <KeptDraft
          draft={left}
          what={rig ? "A change of this rig" : "A new rig"}
          onTake={(kept) => {
            change(kept.value);
            setSeen(kept.from ?? undefined);
          }}
        />
        <div className="flex items-end gap-3">
          <div className="min-w-0 flex-1">
            <TextField
              label="Name of the rig"
              value={draft.name}
              onChange={(name) => change({ ...draft, name })}
              problem={save.error instanceof Refusal ? save.error.at("name") : undefined}
              required
            />
          </div>
          <Button
            type="submit"
            look={rig && !changed ? "plain" : "next"}
            className="mb-1.5"
            disabled={entry === null || save.isPending}
          >
            {rig ? "Save the rig" : "Put it on the shelf"}
          </Button>
        </div>
        {save.isSuccess && <p role="status">Saved.</p>}
        {refusal && refusal.fields.length === 0 && <Notice kind="fault">{refusal.message}</Notice>}
        {rig && entry && refusal?.stale && (
          <Stale
            mine={entry}
            fetchTheirs={async () => {
              const now = (await api.rigs()).find((one) => one.id === rig.id);
              return now && entryOf(draftOf(now.name, now.rig, now.parts));
            }}
            onMine={() => save.mutate({ body: entry, over: true })}
            onTheirs={() => {
              left.drop();
              void queries.invalidateQueries({ queryKey: ["rigs"] }).then(onStale);
            }}
          />
        )}
        <Choice
          label="Optical train"
          value={draft.kind}
          options={KINDS}
          onChange={(kind) => change(withKind(draft, kind as Kind))}
        />
        <h2 className="mt-3 text-[1rem]">From the parts shelf</h2>
        {BUILT_FROM[draft.kind].map((kind) => {
          const own = parts.filter((one) => one.part.kind === kind);
          if (own.length === 0) return null;
          const name = draft.parts[kind];
          const present = own.find((one) => one.name === name);
          return (
            <Choice
              key={kind}
              beside
              label={PART_NAMES[kind]}
              value={present ? String(present.id) : TYPED}
              options={[
                { value: TYPED, label: kind === "rail" || kind === "light" ? "none" : TYPED },
                ...own.map((one) => ({ value: String(one.id), label: one.name })),
              ]}
              onChange={(value) => {
                const part = own.find((one) => String(one.id) === value);
                if (part) change(withPart(draft, part));
                else {
                  const { [kind]: _gone, ...rest } = draft.parts;
                  change({ ...draft, parts: rest });
                }
              }}
            />
          );
        })}
        <h2 className="mt-4 text-[1rem]">Train</h2>
        {TRAINS[draft.kind].map((one) =>
          field(one, draft.train[one.key] ?? null, `train.${one.key}`, (value) =>
            change(withFigure(draft, "train", one.key, value)),
          ),
        )}
        {AROUND.map((one) =>
          field(one, draft.around[one.key] ?? null, one.key, (value) =>
            change({ ...draft, around: { ...draft.around, [one.key]: value } }),
          ),
        )}
        <h2 className="mt-4 text-[1rem]">Sensor</h2>
        {SENSOR.map((one) =>
          field(one, draft.sensor[one.key] ?? null, `sensor.${one.key}`, (value) =>
            change(withFigure(draft, "sensor", one.key, value)),
          ),
        )}
        {draft.kind !== "measured" && (
          <>
            <h2 className="mt-4 text-[1rem]">Measured on this rig</h2>
            <p className="text-[0.875rem] text-ink2">
              Stands above what the parts compute to; both are kept.
            </p>
            {MEASURED.map((one) =>
              field(one, draft.measured[one.key] ?? null, `measured.${one.key}`, (value) =>
                change({ ...draft, measured: { ...draft.measured, [one.key]: value } }),
              ),
            )}
          </>
        )}
        <details open={Object.keys(draft.knob).length > 0}>
          <summary className="head mt-4 flex min-h-9 cursor-pointer items-center text-[1rem] underline underline-offset-3">
            Knob turned by hand
          </summary>
          {KNOB.map((one) =>
            field(one, draft.knob[one.key] ?? null, `knob.${one.key}`, (value) =>
              change({ ...draft, knob: { ...draft.knob, [one.key]: value } }),
            ),
          )}
          <Choice
            beside
            label="As focus goes deeper, its figures"
            value={draft.knobRuns.farther}
            options={[
              { value: "rising", label: "rise" },
              { value: "falling", label: "fall" },
            ]}
            onChange={(farther) =>
              change({ ...draft, knobRuns: { ...draft.knobRuns, farther: farther as Knob["farther"] } })
            }
          />
          <Choice
            beside
            label="It moves"
            value={draft.knobRuns.moves}
            options={[
              { value: "stage", label: "the stage or the camera" },
              { value: "lens", label: "the lens's own focus" },
            ]}
            onChange={(moves) =>
              change({ ...draft, knobRuns: { ...draft.knobRuns, moves: moves as Knob["moves"] } })
            }
          />
        </details>
        {rig && <Versions rig={rig} />}
        {rig && (
          <Discard
            kind="rig"
            label="Discard this rig"
            id={rig.id}
            what={rig.name}
            along="Its calibrations go with it; stacks that were planned with it keep their copy."
            className="mt-2 px-0"
          />
        )}
      </form>
      <div className="overflow-y-auto p-4">
        <WhatItDoes
          does={preview.data}
          stale={entry === null || preview.isError}
          error={preview.isError && !refusal?.fields.length ? preview.error.message : null}
          rig={rig}
        />
        {rig && <Calibrations rig={rig} onOpen={onMeasuring} />}
      </div>
    </div>
  );
}

/** A rig as it was, from one change to the next. */
function Versions({ rig }: { rig: Rig }) {
  const [open, setOpen] = useState(false);
  const found = useQuery({
    queryKey: ["rig-versions", rig.id, rig.version],
    queryFn: () => api.rigVersions(rig.id),
    enabled: open,
  });
  return (
    <details
      className="mt-3 text-[0.875rem] text-ink2"
      onToggle={(event) => setOpen(event.currentTarget.open)}
    >
      <summary className="min-h-9 underline underline-offset-3">
        Version {rig.version}. Stacks keep the version they were planned with.
      </summary>
      {found.isError && <Notice kind="fault">{found.error.message}</Notice>}
      <ol>
        {found.data?.map((one) => (
          <li key={one.number} className="border-rule border-b py-1">
            {one.number}, since {one.since.replace("T", " ").slice(0, 16)}:{" "}
            {Object.entries(one.rig.train)
              .filter(([key, value]) => key !== "kind" && value !== null)
              .map(([key, value]) => `${key} ${value}`)
              .join(", ")}
            {one.rig.measured?.magnification && `; measured ${times(one.rig.measured.magnification)}`}
          </li>
        ))}
      </ol>
    </details>
  );
}

const fieldOf = ({ key: _key, ...rest }: Entered) => rest;
