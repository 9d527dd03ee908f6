import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Figure, Refusal, type Rig } from "../../client/api";
import { digits, trimmed } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { NumberField, TextField } from "../../ui/Field";
import { FigureRow } from "../../ui/FigureRow";
import { Notice } from "../../ui/Notice";
import { type Draft, draftOf, entryOf, KINDS, type Kind, PARTS, SENSOR, withKind } from "./draft";

/** A rig's parts on the left, what they do on the right, recomputed with every change. */
export function RigForm({ rig, onSaved }: { rig: Rig | null; onSaved: (rig: Rig) => void }) {
  const [draft, setDraft] = useState<Draft>(() => draftOf(rig?.name ?? "", rig?.rig ?? null));
  const queries = useQueryClient();
  const entry = entryOf(draft);
  const preview = useQuery({
    queryKey: ["rig-preview", { ...entry, name: "preview" }],
    queryFn: () => api.tryRig({ ...(entry as NonNullable<typeof entry>), name: "preview" }, 1),
    enabled: entry !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const save = useMutation({
    mutationFn: (body: NonNullable<typeof entry>) => (rig ? api.editRig(rig.id, body) : api.addRig(body)),
    onSuccess: (saved) => {
      void queries.invalidateQueries({ queryKey: ["rigs"] });
      onSaved(saved);
    },
  });
  const refusal = [save.error, preview.error].find((error) => error instanceof Refusal) as
    | Refusal
    | undefined;
  const stale = entry === null || preview.isError;

  return (
    <form
      noValidate
      className="grid max-w-[860px] grid-cols-2 gap-8"
      onSubmit={(event) => {
        event.preventDefault();
        if (entry) save.mutate(entry);
      }}
    >
      <div>
        <TextField
          label="Name of the rig"
          value={draft.name}
          onChange={(name) => {
            save.reset();
            setDraft({ ...draft, name });
          }}
          problem={save.error instanceof Refusal ? save.error.at("name") : undefined}
          required
        />
        <Choice
          label="Optical train"
          value={draft.kind}
          options={KINDS}
          onChange={(kind) => setDraft(withKind(draft, kind as Kind))}
        />
        {PARTS[draft.kind].map(({ key, ...part }) => (
          <NumberField
            key={`${draft.kind} ${key}`}
            {...part}
            value={draft.train[key] ?? null}
            onChange={(value) => setDraft({ ...draft, train: { ...draft.train, [key]: value } })}
            problem={refusal?.at(`train.${key}`)}
          />
        ))}
        {SENSOR.map(({ key, ...part }) => (
          <NumberField
            key={key}
            {...part}
            value={draft.sensor[key] ?? null}
            onChange={(value) => setDraft({ ...draft, sensor: { ...draft.sensor, [key]: value } })}
            problem={refusal?.at(`sensor.${key}`)}
          />
        ))}
        <div className="mt-4 flex items-center gap-4">
          <Button type="submit" look="next" disabled={entry === null || save.isPending}>
            {rig ? "Save the rig" : "Put it on the shelf"}
          </Button>
          {save.isSuccess && <span role="status">Saved.</span>}
        </div>
        {rig && (
          <p className="mt-2 text-[13px] text-ink2">
            Stacks that were planned with this rig keep it as it was.
          </p>
        )}
      </div>
      <div className={stale ? "opacity-45" : ""}>
        <h2 className="mb-1 text-[16px]">What it does</h2>
        <p className="mb-1 text-[13px] text-ink2">
          With a specimen in air. Each figure opens to its formula.
        </p>
        {preview.data?.figures.map(({ key, ...figure }) => (
          <FigureRow key={key} {...figure} value={figureText(figure)} />
        ))}
        <div className="mt-3 space-y-2">
          {refusal && !stale && refusal.fields.length === 0 && (
            <Notice kind="fault">{refusal.message}</Notice>
          )}
          {preview.isError && (
            <Notice kind="fault" title="This cannot be computed.">
              {preview.error.message}
            </Notice>
          )}
          {!stale &&
            preview.data?.optics.warnings.map((warning) => (
              <Notice key={warning} kind="hint">
                {warning}
              </Notice>
            ))}
        </div>
      </div>
    </form>
  );
}

export function figureText(figure: Pick<Figure, "values" | "unit">): string {
  const values = figure.values.map((value) => trimmed(digits(value, 3))).join(" × ");
  return figure.unit === "f/" ? `f/${values}` : `${values} ${figure.unit}`.trim();
}
