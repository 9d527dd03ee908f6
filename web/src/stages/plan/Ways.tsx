import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Plan, type PlanPreview, type Specimen, type Way } from "../../client/api";
import { bytes, digits, duration, fNumber, trimmed, um } from "../../lib/numbers";
import { Notice } from "../../ui/Notice";
import { subjectOf } from "./draft";

interface Props {
  plan: Plan;
  specimen: Specimen;
  preview: PlanPreview;
  onLoad: (way: Way) => void;
}

type Column = "detail_um" | "effective_f_number" | "step_um" | "frames" | "seconds" | "bytes";
const COLUMNS: ReadonlyArray<{ key: Column; label: string }> = [
  { key: "effective_f_number", label: "Eff. aperture" },
  { key: "detail_um", label: "Detail" },
  { key: "step_um", label: "Step" },
  { key: "frames", label: "Frames" },
  { key: "seconds", label: "Time" },
  { key: "bytes", label: "Space" },
];
const FEW = 8;

/** The shelf's rigs and apertures for the same depth; a row can be loaded. */
export function Ways({ plan, specimen, preview, onLoad }: Props) {
  const [by, setBy] = useState<Column>("detail_um");
  const [all, setAll] = useState(false);
  const body = { plan, medium_index: specimen.medium_index, subject: subjectOf(specimen), minutes: null };
  // The ways depend on the depth and the bench, not on how the present ladder is spaced.
  const asked = {
    ...body,
    plan: { ...plan, step_um: null, frames: null, overlap: plan.overlap ?? 0.3, budget_s: plan.budget_s },
  };
  const found = useQuery({
    queryKey: ["ways", asked],
    queryFn: () => api.otherWays(asked),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const { worth } = preview;
  const rows = [...(found.data ?? [])].sort((a, b) => Number(a[by] ?? 0) - Number(b[by] ?? 0));
  const important = rows.filter((way) => way.mark || way.single_frame);
  const shown = all
    ? rows
    : [...new Set([...important, ...rows])]
        .slice(0, Math.max(FEW, important.length))
        .sort((a, b) => rows.indexOf(a) - rows.indexOf(b));
  return (
    <section aria-label="Other ways to shoot it" className="mt-4">
      <h2 className="text-[1rem]">Other ways to shoot it</h2>
      <p className="py-1 text-[0.875rem] text-ink2">
        {worth.times_finer < 1.05
          ? "One frame at this aperture is sharp over all of it: no stack is needed."
          : `One frame stopped down over all of it keeps ${trimmed(digits(worth.single_detail_um, 2))} µm, ${trimmed(digits(worth.times_finer, 2))} times less detail: a stack shows more in pictures wider than ${worth.wider_than_px} px. ${worth.worth_it ? `For the chosen use, ${worth.use_px} px wide, it is worth it.` : `For the chosen use, ${worth.use_px} px wide, one frame will do.`}`}
      </p>
      {found.isError && <Notice kind="fault">{found.error.message}</Notice>}
      {rows.length > 0 && (
        <table className="w-full text-[0.875rem]">
          <thead>
            <tr className="border-rule border-b text-right text-[0.875rem] text-ink2">
              <th className="py-1 text-left">Way</th>
              {COLUMNS.map((column) => (
                <th key={column.key} aria-sort={by === column.key ? "ascending" : "none"} className="pl-1">
                  <button
                    type="button"
                    className={`min-h-8 hover:text-ink ${by === column.key ? "text-ink underline decoration-2 decoration-amber-fill underline-offset-4" : ""}`}
                    onClick={() => setBy(column.key)}
                  >
                    {column.label}
                  </button>
                </th>
              ))}
              <th>
                <span className="sr-only">Load</span>
              </th>
            </tr>
          </thead>
          <tbody>
            {shown.map((way) => (
              <tr
                key={`${way.rig_id} ${way.marked_f_number} ${way.single_frame}`}
                className={`border-rule border-b text-right ${way.mark && !way.single_frame ? "bg-amber-wash" : ""}`}
              >
                <th scope="row" className="py-1 pr-2 text-left font-[450] font-text">
                  {way.rig_name}
                  {way.marked_f_number !== null && `, f/${trimmed(way.marked_f_number.toPrecision(2))}`}
                  {way.mark && <span className="block text-[0.875rem] text-ink2">{way.mark}</span>}
                </th>
                <td>{fNumber(way.effective_f_number)}</td>
                <td className="pl-1">{um(way.detail_um)}</td>
                <td className="pl-1">{way.step_um === null ? "–" : um(way.step_um)}</td>
                <td className="pl-1">
                  {way.frames}
                  {way.tiles > 1 && ` × ${way.tiles}`}
                </td>
                <td className="pl-1">{duration(way.seconds)}</td>
                <td className="pl-1">{bytes(way.bytes)}</td>
                <td className="pl-2">
                  <button
                    type="button"
                    className="min-h-8 underline underline-offset-3"
                    aria-label={`Load ${way.rig_name}${way.marked_f_number !== null ? ` at f/${way.marked_f_number.toPrecision(2)}` : ""}${way.single_frame ? ", single frame" : ""}`}
                    onClick={() => onLoad(way)}
                  >
                    Load
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {rows.length > FEW && (
        <button
          type="button"
          className="min-h-11 text-[0.875rem] underline underline-offset-3"
          onClick={() => setAll(!all)}
        >
          {all ? "Fewer" : `All ${rows.length} ways`}
        </button>
      )}
    </section>
  );
}
