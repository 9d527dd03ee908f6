import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type MeasureSeries, type Measuring } from "../../../client/api";
import { Button } from "../../../ui/Button";
import { Choice } from "../../../ui/Choice";
import { TextField } from "../../../ui/Field";
import { Failures } from "../../../ui/Notice";
import { KINDS, type Kind, ORDER } from "../kinds";

interface Line {
  key: number;
  name: string;
  kind: Kind;
}

const CHOICES = ORDER.map((kind) => ({ value: kind, label: KINDS[kind].label }));

/** Names and kinds of a series, in the order of picking. */
export function SeriesEditor({
  series,
  measuring,
  onDone,
}: {
  series: MeasureSeries;
  measuring: Measuring;
  onDone: () => void;
}) {
  const queries = useQueryClient();
  const [lines, setLines] = useState<Line[]>(() =>
    series.items.map(({ name, kind }, key) => ({ key, name, kind: kind as Kind })),
  );
  const [next, setNext] = useState(series.items.length);
  const add = (...more: Omit<Line, "key">[]) => {
    setLines([...lines, ...more.map((one, i) => ({ ...one, key: next + i }))]);
    setNext(next + more.length);
  };
  const change = (key: number, by: Partial<Line>) =>
    setLines(lines.map((one) => (one.key === key ? { ...one, ...by } : one)));
  const move = (at: number, by: number) => {
    const moved = [...lines];
    moved.splice(at + by, 0, ...moved.splice(at, 1));
    setLines(moved);
  };
  const fresh = measuring.measures.filter((one) => !lines.some(({ name }) => name === one.name));
  const save = useMutation({
    mutationFn: () =>
      api.setSeries(
        measuring.merge_id,
        lines.map(({ name, kind }) => ({ name, kind })),
      ),
    onSuccess: async (now) => {
      queries.setQueryData(["measureSeries", measuring.merge_id], now);
      void queries.invalidateQueries({ queryKey: ["measureSeries"] });
      onDone();
    },
  });
  const names = lines.map(({ name }) => name.trim());
  const twice = names.find((name, i) => name !== "" && names.indexOf(name) !== i);
  const problem = names.includes("")
    ? "Every measure of a series needs a name."
    : twice
      ? `Two are called “${twice}”: names tell them apart.`
      : null;
  return (
    <div className="space-y-3">
      <p className="text-ink2">
        They are offered in this order on every merge of a specimen of this kind. A measure belongs here by
        its name and its kind: what was taken under the same name before counts, too.
      </p>
      <ol aria-label="Measures of the series" className="space-y-3">
        {lines.map((one, at) => (
          <li key={one.key} className="border-ink2 border-l-4 pl-3">
            <TextField
              label={`Name of number ${at + 1}`}
              value={one.name}
              onChange={(name) => change(one.key, { name })}
            />
            <Choice
              beside
              label="Kind"
              value={one.kind}
              options={CHOICES}
              onChange={(kind) => change(one.key, { kind: kind as Kind })}
            />
            <div className="mt-1 flex gap-2">
              <Button className="px-3" disabled={at === 0} onClick={() => move(at, -1)}>
                Earlier
              </Button>
              <Button className="px-3" disabled={at === lines.length - 1} onClick={() => move(at, 1)}>
                Later
              </Button>
              <Button
                look="quiet"
                className="px-2"
                onClick={() => setLines(lines.filter(({ key }) => key !== one.key))}
              >
                Take out
              </Button>
            </div>
          </li>
        ))}
      </ol>
      <div className="flex flex-wrap gap-2">
        <Button onClick={() => add({ name: "", kind: "length" })}>Add a measure</Button>
        {fresh.length > 0 && (
          <Button onClick={() => add(...fresh.map(({ name, kind }) => ({ name, kind: kind as Kind })))}>
            Add what is taken here ({fresh.length})
          </Button>
        )}
      </div>
      {problem && lines.length > 0 && <p role="status">{problem}</p>}
      <Failures of={[save.error]} />
      <Button look="next" disabled={problem !== null || save.isPending} onClick={() => save.mutate()}>
        Keep the series
      </Button>
    </div>
  );
}
