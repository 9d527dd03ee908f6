import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Plan, Refusal, type RigDefinition, type Schemas, type Specimen } from "../../client/api";
import { show } from "../../client/live";
import { digits, duration, plural } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/Field";
import { Notice } from "../../ui/Notice";
import { OneOf } from "../../ui/OneOf";
import { subjectOf } from "./draft";

interface Props {
  specimen: Specimen;
  rig: RigDefinition;
  plan: Plan;
  /** What is saved, but for the tiles. */
  entry: Omit<Schemas["PlanEntry"], "plan">;
  /** Whether what is on screen can be saved at all. */
  ready: boolean;
  onSaved: () => void;
}

const ORDERS = [
  { value: "snake", label: "To and fro" },
  { value: "rows", label: "Row by row" },
] as const;

/** The same ladder side by side, where the specimen is larger than the field: how many, and where each lies. */
export function TilesTab({ specimen, rig, plan, entry, ready, onSaved }: Props) {
  const [columns, setColumns] = useState<number | null>(null);
  const [rows, setRows] = useState<number | null>(null);
  const [overlap, setOverlap] = useState<number | null>(20);
  const [order, setOrder] = useState<"snake" | "rows">("snake");
  const queries = useQueryClient();
  const navigate = useNavigate();
  const trial = {
    rig,
    plan,
    subject: subjectOf(specimen),
    columns,
    rows,
    overlap: (overlap ?? 20) / 100,
    order,
  };
  const seen = useQuery({
    queryKey: ["tiles", trial],
    queryFn: () => api.tryTiles(trial),
    enabled: overlap !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const save = useMutation({
    mutationFn: (found: { columns: number; rows: number }) =>
      api.saveTiles(specimen.id, {
        ...entry,
        plan,
        tiles: { columns: found.columns, rows: found.rows, overlap: trial.overlap, order },
      }),
    onSuccess: async (whole) => {
      onSaved();
      await show(queries, ["stack", whole.id], whole);
      void queries.invalidateQueries({ queryKey: ["cabinet"] });
      void queries.invalidateQueries({ queryKey: ["stack"] });
      void navigate({
        to: "/stacks/$stackId/$stage",
        params: { stackId: String(whole.id), stage: "shoot" },
      });
    },
  });
  const refused = [seen.error, save.error].filter((one) => one instanceof Refusal);
  const problem = (field: string) => refused.map((one) => one.at(field)).find(Boolean);
  const found = seen.data;
  const count = found ? found.columns * found.rows : 0;
  const mm = (um: number) => digits(um / 1000, 3);
  const [wide, high] = (found?.covers_um ?? [0, 0]) as unknown as [number, number];
  const [right, down] = (found?.step_um ?? [0, 0]) as unknown as [number, number];
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_300px] gap-6">
      <section aria-label="Tiles">
        <p className="text-ink2">
          Where the specimen is larger than the field, the same ladder is shot side by side; the merges are
          laid together in one picture and one depth map.
          {!specimen.width_mm &&
            !specimen.height_mm &&
            " With its size on the label, as many are proposed as it needs."}
        </p>
        <NumberField
          label="Columns"
          value={columns}
          optional
          computed={found ? String(found.needed[0] ?? 1) : ""}
          problem={problem("columns")}
          onChange={setColumns}
        />
        <NumberField
          label="Rows"
          value={rows}
          optional
          computed={found ? String(found.needed[1] ?? 1) : ""}
          problem={problem("rows")}
          onChange={setRows}
        />
        <NumberField
          label="Neighbours share"
          unit="%"
          hint="Of what all frames of a tile still show after alignment. A fifth is usual."
          value={overlap}
          problem={problem("overlap")}
          onChange={setOverlap}
        />
        <OneOf label="Order" value={order} options={ORDERS} onChange={setOrder} />
        {refused
          .filter((one) => one.fields.length === 0)
          .map((one) => (
            <Notice key={one.message} kind="fault">
              {one.message}
            </Notice>
          ))}
        {found?.warnings.map((one) => (
          <Notice key={one} kind="hint">
            {one}
          </Notice>
        ))}
        <Button
          className="mt-3"
          disabled={!found || seen.isError || count < 2 || !ready || save.isPending}
          onClick={() => found && save.mutate(found)}
        >
          {count < 2 ? "One tile is no set: say how many" : `Save as ${plural(count, "tile")}`}
        </Button>
      </section>
      {found && (
        <section aria-label="Where they lie" className={seen.isError ? "grayscale" : ""}>
          <svg
            viewBox={`0 0 ${wide} ${high}`}
            className="w-full bg-mat"
            role="img"
            aria-label={`${found.columns} × ${found.rows} tiles, numbered in the order of shooting`}
          >
            {found.places.map((one) => (
              <g key={one.number}>
                <rect
                  x={one.x_um}
                  y={one.y_um}
                  width={found.field_um[0]}
                  height={found.field_um[1]}
                  fill="#7fd0d8"
                  fillOpacity="0.12"
                  stroke="#7fd0d8"
                  strokeWidth={wide / 300}
                />
                <text
                  x={one.x_um + (found.field_um[0] as number) / 2}
                  y={one.y_um + (found.field_um[1] as number) / 2}
                  textAnchor="middle"
                  dominantBaseline="central"
                  fontSize={Math.min(wide / found.columns, high / found.rows) / 3}
                  fill="#dfe4df"
                >
                  {one.number}
                </text>
              </g>
            ))}
          </svg>
          <p className="mt-2 text-[0.9375rem]">
            {mm(wide)} × {mm(high)} mm; the field goes {mm(right)} mm right, {mm(down)} mm down.
          </p>
          <p className="text-[0.9375rem] text-ink2">
            {plural(found.frames, "frame")}, about {duration(found.seconds)} without moving the stage,{" "}
            {digits(found.bytes / 1e9, 2)} GB.
          </p>
        </section>
      )}
    </div>
  );
}
