import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Measure, type Measuring as Shown, type Told } from "../../client/api";
import { fineShare } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Discard } from "../../ui/Discard";
import { TextField } from "../../ui/Field";
import { Failures } from "../../ui/Notice";
import { KINDS, type Kind, sentence, stated } from "./kinds";

interface Props {
  shown: Shown;
  open: number | null;
  onOpen: (id: number | null) => void;
  /** Pick the places of a measure once more. */
  onAgain: (measure: Measure) => void;
}

/** The slip on which measures are written one under another. */
export function Docket({ shown, open, onOpen, onAgain }: Props) {
  return (
    <section aria-label="Measures taken" className="min-h-0 flex-1 overflow-y-auto px-4 py-2">
      <h2 className="text-[1.0625rem]">Taken</h2>
      {shown.measures.length === 0 ? (
        <p className="text-ink2">Nothing yet: pick places on the picture, then take the measure.</p>
      ) : (
        <ol aria-label="Measures">
          {shown.measures.map((one) => (
            <li key={one.id} className="border-rule border-b">
              <button
                type="button"
                aria-expanded={one.id === open}
                className="flex min-h-9 w-full flex-wrap items-baseline justify-between gap-x-3 py-1 text-left"
                onClick={() => onOpen(one.id === open ? null : one.id)}
              >
                <span className="min-w-0 truncate">{one.name}</span>
                <span className="whitespace-nowrap font-bold">
                  {stated(one.told.value, one.told.expanded, one.told.unit)}
                </span>
              </button>
              {one.id === open && (
                <Opened key={one.id} measure={one} mergeId={shown.merge_id} onAgain={() => onAgain(one)} />
              )}
            </li>
          ))}
        </ol>
      )}
      {shown.measures.length > 0 && (
        <p className="flex flex-wrap gap-x-4 py-2 text-[0.9375rem]">
          {(["csv", "json", "svg", "png"] as const).map((kind) => (
            <a
              key={kind}
              href={`/api/merges/${shown.merge_id}/measures.${kind}`}
              className="inline-flex min-h-8 items-center underline underline-offset-3"
            >
              {
                {
                  csv: "Table (CSV)",
                  json: "All of it (JSON)",
                  svg: "Picture with them (SVG)",
                  png: "The same in pixels (PNG)",
                }[kind]
              }
            </a>
          ))}
        </p>
      )}
    </section>
  );
}

function Opened({ measure, mergeId, onAgain }: { measure: Measure; mergeId: number; onAgain: () => void }) {
  const queries = useQueryClient();
  const [name, setName] = useState(measure.name);
  const rename = useMutation({
    mutationFn: () => api.changeMeasure(measure.id, { name }),
    onSuccess: () => queries.invalidateQueries({ queryKey: ["measuring", mergeId] }),
  });
  const picks = measure.picks.length;
  return (
    <div className="space-y-2 pb-3">
      <p className="text-[0.9375rem] text-ink2">
        {KINDS[measure.kind as Kind].label}
        {picks > 1 && `, picked ${picks} times`}
        {measure.picks[0]?.by && ` by ${[...new Set(measure.picks.map((one) => one.by))].join(", ")}`}.
      </p>
      <Budget told={measure.told} />
      <div className="flex items-end gap-2">
        <TextField label="Name" value={name} onChange={setName} />
        <Button
          className="mb-1.5 px-3"
          disabled={rename.isPending || !name.trim() || name === measure.name}
          onClick={() => rename.mutate()}
        >
          Rename
        </Button>
      </div>
      <div className="flex flex-wrap gap-2">
        <Button className="px-3" onClick={onAgain}>
          Pick it again
        </Button>
        <Discard kind="measure" id={measure.id} what={`measure ${measure.name}`} />
      </div>
      <Failures of={[rename.error]} />
    </div>
  );
}

/** What a value rests on: its formula, what makes it uncertain and by how much, and what is to be said of it. */
export function Budget({ told }: { told: Told }) {
  const parts = told.parts.filter((one) => one.share > 0);
  return (
    <div className="space-y-1.5 text-[0.875rem]">
      {told.formula && <p className="text-ink2">{told.formula}</p>}
      {parts.length > 0 && (
        <table className="w-full">
          <caption className="text-left text-ink2">
            What makes it uncertain: standard uncertainties; above ± is {told.k} times all of them
          </caption>
          <tbody>
            {parts.map((one) => (
              <tr key={one.part} className="border-rule border-t align-top">
                <th scope="row" className="py-0.5 pr-2 text-left font-normal">
                  {one.source}
                </th>
                <td className="whitespace-nowrap py-0.5 pr-2 text-right">
                  {one.u.toPrecision(2)} {told.unit}
                </td>
                <td className="py-0.5 text-right">{fineShare(one.share)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {(told.at_least !== null || told.at_most !== null) && (
        <p>
          {told.at_least !== null && `At least ${told.at_least.toPrecision(4)} ${told.unit}. `}
          {told.at_most !== null && `At most ${told.at_most.toPrecision(4)} ${told.unit}.`}
        </p>
      )}
      {[told.message, ...told.notes].map((one) => one && <p key={one}>{sentence(one)}</p>)}
    </div>
  );
}
