import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, Refusal, type Specimen } from "../client/api";
import { Button } from "../ui/Button";
import { NumberField, TextField } from "../ui/Field";
import { KeptDraft, useKept } from "../ui/Kept";
import { Notice } from "../ui/Notice";
import { Stale } from "../ui/Stale";
import { Collected } from "./Collected";

const KINDS = ["insect", "mineral", "snow", "plant"];
const MEDIA = ["air", "water", "alcohol", "glycerol", "resin", "amber", "balsam"];
// Customary values at the sodium line; a person who knows better types it in.
const INDEX: Record<string, number> = {
  air: 1,
  water: 1.333,
  alcohol: 1.36,
  glycerol: 1.47,
  resin: 1.54,
  amber: 1.54,
  balsam: 1.52,
};
const EMPTY = {
  catalogue_number: "",
  name: "",
  kind: "",
  mount: "",
  medium: "air",
  medium_index: 1,
  medium_tolerance: null as number | null,
  locality: "",
  latitude: null as number | null,
  longitude: null as number | null,
  place_within_m: null as number | null,
  collector: "",
  collected_on: "",
  determination: "",
  determined_by: "",
  determined_on: "",
  note: "",
  width_mm: null as number | null,
  height_mm: null as number | null,
  depth_mm: null as number | null,
};
const SIZES = [
  ["width_mm", "Width"],
  ["height_mm", "Height"],
  ["depth_mm", "Depth, towards the lens"],
] as const;

/** Only what stands on a label. */
const labelOf = (from: typeof EMPTY) =>
  Object.fromEntries(Object.keys(EMPTY).map((key) => [key, from[key as keyof typeof EMPTY]])) as typeof EMPTY;

/** A specimen's label, new or corrected. */
export function SpecimenForm({ specimen, onDone }: { specimen?: Specimen; onDone: () => void }) {
  const [entry, setEntry] = useState<typeof EMPTY>(specimen ? { ...specimen } : EMPTY);
  const before = useQuery({ queryKey: ["labelEntries"], queryFn: api.labelEntries });
  const [indexSeen, setIndexSeen] = useState<number | null>(entry.medium_index);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const set = (change: Partial<typeof EMPTY>) => setEntry((now) => ({ ...now, ...change }));
  // What the correction starts from: a label that was read anew meanwhile must not pass for it.
  const [seen, setSeen] = useState(specimen?.revision);
  const [initial] = useState(entry);
  const draft = useKept(
    specimen ? `label ${specimen.id}` : "new label",
    entry,
    entry !== initial,
    seen ?? null,
  );
  const save = useMutation({
    mutationFn: (over: boolean) =>
      specimen
        ? api.editSpecimen(specimen.id, labelOf(entry), over ? undefined : seen)
        : api.addSpecimen(labelOf(entry)),
    onSuccess: (saved) => {
      draft.drop();
      void queries.invalidateQueries();
      onDone();
      if (!specimen)
        void navigate({ to: "/specimens/$specimenId/plan", params: { specimenId: String(saved.id) } });
    },
  });
  const refusal = save.error instanceof Refusal ? save.error : null;
  return (
    <form
      noValidate
      onSubmit={(event) => {
        event.preventDefault();
        if (indexSeen !== null) save.mutate(false);
      }}
    >
      <KeptDraft
        draft={draft}
        what="A label"
        onTake={(kept) => {
          setEntry({ ...EMPTY, ...kept.value });
          setIndexSeen(kept.value.medium_index);
          setSeen(kept.from ?? undefined);
        }}
      />
      <TextField
        label="Catalogue number"
        value={entry.catalogue_number}
        onChange={(catalogue_number) => set({ catalogue_number })}
        problem={refusal?.at("catalogue_number")}
        required
      />
      <TextField
        label="Name"
        value={entry.name}
        onChange={(name) => set({ name })}
        problem={refusal?.at("name")}
        required
      />
      <TextField
        label="Kind"
        hint="insect, mineral, snow, plant, or your own word"
        suggestions={KINDS}
        value={entry.kind}
        onChange={(kind) => set({ kind })}
        problem={refusal?.at("kind")}
        required
      />
      <TextField
        label="Mount"
        suggestions={before.data?.mount}
        value={entry.mount}
        onChange={(mount) => set({ mount })}
        problem={refusal?.at("mount")}
      />
      <TextField
        label="Lies in"
        suggestions={MEDIA}
        value={entry.medium}
        onChange={(medium) => {
          set({ medium, medium_index: INDEX[medium] ?? entry.medium_index, medium_tolerance: null });
          setIndexSeen(INDEX[medium] ?? entry.medium_index);
        }}
        problem={refusal?.at("medium")}
      />
      <NumberField
        label="Refractive index of it"
        value={indexSeen}
        onChange={(index) => {
          setIndexSeen(index);
          if (index !== null) set({ medium_index: index });
        }}
        problem={refusal?.at("medium_index")}
      />
      {entry.medium_index > 1 && (
        <NumberField
          label="How well that is known"
          unit="±"
          optional
          hint="Left empty, measures of depth assume ± 0.01, and say so."
          value={entry.medium_tolerance}
          onChange={(medium_tolerance) => set({ medium_tolerance })}
          problem={refusal?.at("medium_tolerance")}
        />
      )}
      {SIZES.map(([key, label]) => (
        <NumberField
          key={key}
          label={label}
          unit="mm"
          optional
          value={entry[key]}
          onChange={(value) => set({ [key]: value })}
          problem={refusal?.at(key)}
        />
      ))}
      <Collected entry={entry} set={set} refusal={refusal} before={before.data ?? {}} />
      <TextField
        label="Note"
        long
        value={entry.note}
        onChange={(note) => set({ note })}
        problem={refusal?.at("note")}
      />
      {refusal && refusal.fields.length === 0 && <Notice kind="fault">{refusal.message}</Notice>}
      {specimen && refusal?.stale && (
        <Stale
          mine={labelOf(entry)}
          fetchTheirs={async () => labelOf(await api.specimen(specimen.id))}
          onMine={() => save.mutate(true)}
          onTheirs={() => {
            draft.drop();
            void queries.invalidateQueries();
            onDone();
          }}
        />
      )}
      <div className="mt-4 flex gap-3">
        <Button type="submit" look="next" disabled={save.isPending}>
          {specimen ? "Save the label" : "Add and plan its ladder"}
        </Button>
      </div>
    </form>
  );
}
