import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Part, Refusal, type Schemas } from "../../client/api";
import { withSaved } from "../../lib/lists";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Discard } from "../../ui/Discard";
import { NumberField, TextField } from "../../ui/Field";
import { Notice } from "../../ui/Notice";
import { Stale } from "../../ui/Stale";
import { type Entered, PART_NAMES, type PartKind, SENSOR } from "./draft";

const FIELDS: Record<PartKind, readonly Entered[]> = {
  body: [...SENSOR, { key: "transfer_s", label: "Time to store a file", unit: "s", optional: true }],
  lens: [
    { key: "focal_mm", label: "Focal length", unit: "mm" },
    { key: "f_number", label: "Widest aperture", unit: "f/" },
    { key: "pupil_magnification", label: "Pupil magnification", optional: true },
    { key: "largest_magnification", label: "Largest magnification", unit: "×", optional: true },
    { key: "working_distance_mm", label: "Working distance", unit: "mm", optional: true },
    { key: "image_circle_mm", label: "Image circle", unit: "mm", optional: true },
  ],
  objective: [
    { key: "nominal_magnification", label: "Magnification engraved on it", unit: "×" },
    { key: "na", label: "Numerical aperture engraved on it", unit: "NA" },
    { key: "design_tube_mm", label: "Tube it is made for", unit: "mm" },
    { key: "working_distance_mm", label: "Working distance", unit: "mm", optional: true },
    { key: "image_circle_mm", label: "Image circle", unit: "mm", optional: true },
  ],
  tube: [
    { key: "tube_mm", label: "Focal length or tube length", unit: "mm" },
    { key: "tube_f_number", label: "Iris, if it has one", unit: "f/", optional: true },
  ],
  rail: [
    { key: "click_um", label: "Smallest move", unit: "µm" },
    { key: "min_um", label: "Travel from", unit: "µm", optional: true },
    { key: "max_um", label: "Travel to", unit: "µm", optional: true },
    { key: "backlash_um", label: "Backlash", unit: "µm", optional: true },
  ],
  light: [{ key: "recycle_s", label: "Recycling after a full pop", unit: "s" }],
};
const KINDS = Object.keys(PART_NAMES) as PartKind[];

/** Bodies, lenses, objectives, tubes, rails and lights: what rigs are put together from. */
export function PartsShelf({ parts }: { parts: readonly Part[] }) {
  const [chosen, setChosen] = useState<number | "new" | null>(null);
  const [turn, setTurn] = useState(0);
  const part = parts.find((one) => one.id === chosen) ?? null;
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_clamp(300px,33vw,420px)] grid-rows-[minmax(0,1fr)] small:block small:h-auto">
      <div className="overflow-y-auto p-4">
        <div className="mb-1 flex items-center justify-between">
          <h2 className="text-[1.25rem]">Parts shelf</h2>
          <Button look={chosen === null ? "next" : "plain"} onClick={() => setChosen("new")}>
            Add a part
          </Button>
        </div>
        {parts.length === 0 && (
          <p className="text-ink2">The shelf is empty. Parts save typing: rigs are put together from them.</p>
        )}
        {KINDS.map((kind) => {
          const own = parts.filter((one) => one.part.kind === kind);
          if (own.length === 0) return null;
          return (
            <section key={kind} aria-label={PART_NAMES[kind]} className="mt-2">
              <h3 className="text-[0.875rem] text-ink2">{PART_NAMES[kind]}</h3>
              <ul>
                {own.map((one) => (
                  <li key={one.id}>
                    <button
                      type="button"
                      aria-pressed={one.id === chosen}
                      onClick={() => setChosen(one.id)}
                      className="flex min-h-11 w-full items-center justify-between gap-4 border-rule border-b px-2 text-left hover:bg-card aria-pressed:bg-amber-wash"
                    >
                      <strong>{one.name}</strong>
                      <span className="text-[0.875rem] text-ink2">{summary(one)}</span>
                    </button>
                  </li>
                ))}
              </ul>
            </section>
          );
        })}
      </div>
      <aside aria-label="One part" className="overflow-y-auto border-rule border-l p-4">
        {chosen === null ? (
          <p className="text-ink2">
            Choose a part to correct it. Rigs that were put together from it keep what they have.
          </p>
        ) : (
          <PartForm
            key={`${part?.id ?? "new"} ${turn}`}
            part={part}
            onSaved={(saved) => setChosen(saved.id)}
            onStale={() => setTurn(turn + 1)}
            onGone={() => setChosen(null)}
          />
        )}
      </aside>
    </div>
  );
}

/** What a figure is called where there is little room. */
const SHORT: Readonly<Record<string, string>> = {
  nominal_magnification: "engraved",
  na: "aperture engraved NA",
  design_tube_mm: "for a tube of",
  tube_mm: "focal length",
  tube_f_number: "iris",
  largest_magnification: "up to",
  recycle_s: "recycles in",
  transfer_s: "stores a file in",
  width_px: "pixels across",
  height_px: "pixels down",
  pixel_um: "pixel",
};

function summary({ part }: Part): string {
  return FIELDS[part.kind]
    .map(({ key, unit, label }) => {
      const value = (part as unknown as Record<string, number | null>)[key];
      if (value === null || value === undefined || value === 0) return null;
      const name = SHORT[key] ?? label.toLowerCase();
      return `${name} ${unit === "f/" ? `f/${value}` : `${value}${unit && unit !== "NA" ? ` ${unit}` : ""}`}`;
    })
    .filter((one) => one !== null)
    .slice(0, 4)
    .join(", ");
}

interface FormProps {
  part: Part | null;
  onSaved: (part: Part) => void;
  /** The form is to begin anew with what is there now. */
  onStale: () => void;
  onGone: () => void;
}

function PartForm({ part, onSaved, onStale, onGone }: FormProps) {
  const [kind, setKind] = useState<PartKind>(part?.part.kind ?? "body");
  const [name, setName] = useState(part?.name ?? "");
  const [corrected, setCorrected] = useState(
    part?.part.kind === "objective" ? part.part.corrected : "infinity",
  );
  const [values, setValues] = useState<Record<string, number | null>>(() =>
    part ? { ...(part.part as unknown as Record<string, number | null>) } : {},
  );
  const queries = useQueryClient();
  const [seen, setSeen] = useState(part?.revision);
  const save = useMutation({
    mutationFn: (over: boolean) => {
      const entered = FIELDS[kind]
        .map((one) => [one.key, values[one.key] ?? null] as const)
        .filter(([, value]) => value !== null);
      const body = {
        name,
        part: { kind, ...(kind === "objective" ? { corrected } : {}), ...Object.fromEntries(entered) },
      } as unknown as Schemas["PartEntry"];
      return part ? api.editPart(part.id, body, over ? undefined : seen) : api.addPart(body);
    },
    onSuccess: (saved) => {
      queries.setQueryData<Part[]>(["parts"], (all) => withSaved(all, saved));
      setSeen(saved.revision);
      onSaved(saved);
    },
  });
  const refusal = save.error instanceof Refusal ? save.error : null;
  const missing = FIELDS[kind].some((one) => !one.optional && (values[one.key] ?? null) === null);
  return (
    <form
      noValidate
      onSubmit={(event) => {
        event.preventDefault();
        if (!missing) save.mutate(false);
      }}
    >
      {!part && (
        <Choice
          label="What it is"
          value={kind}
          options={KINDS.map((one) => ({ value: one, label: PART_NAMES[one] }))}
          onChange={(value) => setKind(value as PartKind)}
        />
      )}
      <TextField
        label="Name of the part"
        value={name}
        onChange={setName}
        problem={refusal?.at("name")}
        required
      />
      {kind === "objective" && (
        <Choice
          label="Corrected for"
          value={corrected}
          options={[
            { value: "infinity", label: "infinity, with a tube lens" },
            { value: "finite", label: "a finite tube" },
          ]}
          onChange={(value) => setCorrected(value as "infinity" | "finite")}
        />
      )}
      {FIELDS[kind].map(({ key, ...one }) => (
        <NumberField
          key={`${kind} ${key}`}
          {...one}
          value={values[key] ?? null}
          onChange={(value) => {
            save.reset();
            setValues((now) => ({ ...now, [key]: value }));
          }}
          problem={refusal?.at(`part.${key}`)}
        />
      ))}
      {refusal && refusal.fields.length === 0 && <Notice kind="fault">{refusal.message}</Notice>}
      {part && refusal?.stale && (
        <Stale
          mine={{ name, ...values }}
          fetchTheirs={async () => {
            const now = (await api.parts()).find((one) => one.id === part.id);
            return now && { name: now.name, ...now.part };
          }}
          onMine={() => save.mutate(true)}
          onTheirs={() => void queries.invalidateQueries({ queryKey: ["parts"] }).then(onStale)}
        />
      )}
      <div className="mt-3 flex items-center gap-3">
        <Button type="submit" look="next" disabled={missing || save.isPending}>
          {part ? "Save the part" : "Put it on the parts shelf"}
        </Button>
        {save.isSuccess && <span role="status">Saved.</span>}
        {part && (
          <Discard
            kind="part"
            label="Discard this part"
            id={part.id}
            what={part.name}
            along="Rigs that were put together from it keep what they have."
            onDone={onGone}
          />
        )}
      </div>
    </form>
  );
}
