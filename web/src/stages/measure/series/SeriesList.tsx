import { useState } from "react";
import type { MeasureSeries, Measuring, SeriesItem } from "../../../client/api";
import { measurePlace } from "../../../client/api";
import { Button } from "../../../ui/Button";
import { useHint } from "../../../ui/commands";
import { Panel } from "../../../ui/Panel";
import { KINDS, type Kind, stated } from "../kinds";
import { SeriesEditor } from "./SeriesEditor";
import { SeriesTable } from "./SeriesTable";

interface Props {
  series: MeasureSeries;
  measuring: Measuring;
  /** The name of what is being picked. */
  current: string | null;
  onItem: (item: SeriesItem) => void;
}

/** What is measured on every specimen of this kind, in order, with where it was taken last. */
export function SeriesList({ series, measuring, current, onItem }: Props) {
  const [open, setOpen] = useState<"editor" | "table" | null>(null);
  const hint = useHint();
  const shown = series.items.find((one) => one.name === current);
  const toTake = series.items.filter((one) => one.taken === null).length;
  return (
    <div className="space-y-2">
      {series.items.length === 0 ? (
        <p className="text-[0.9375rem] text-ink2">
          No series yet for “{series.specimen_kind}”: a list of measures that are taken on every specimen of
          that kind, in order.
        </p>
      ) : (
        <>
          <p className="text-[0.875rem] text-ink2" {...hint("nextOfSeries")}>
            For “{series.specimen_kind}”, {toTake === 0 ? "all taken" : `${toTake} to take`}
          </p>
          <ol aria-label="Series" className="-mx-1">
            {series.items.map((one) => (
              <li key={one.name}>
                <button
                  type="button"
                  aria-current={one.name === current ? "step" : undefined}
                  className={`min-h-9 w-full border-l-4 py-0.5 pl-2 text-left ${one.name === current ? "border-amber bg-amber-wash font-bold" : "border-transparent hover:bg-rule/50"}`}
                  onClick={() => onItem(one)}
                >
                  <span className="block truncate">{one.name}</span>
                  <span className="block truncate text-[0.8125rem] font-normal text-ink2">
                    {value(one, measuring) ?? KINDS[one.kind as Kind].label}
                  </span>
                </button>
              </li>
            ))}
          </ol>
          {shown?.last && (
            <figure>
              <img
                src={measurePlace(shown.last.measure_id)}
                alt={`${shown.name} as it was taken on ${shown.last.catalogue_number}`}
                className="aspect-[4/3] w-full border border-ink2 bg-mat object-contain"
              />
              <figcaption className="text-[0.8125rem] text-ink2">
                {shown.name}, last time, on {shown.last.catalogue_number}
              </figcaption>
            </figure>
          )}
          {shown && !shown.last && (
            <p className="text-[0.8125rem] text-ink2">{shown.name} was taken on no other specimen yet.</p>
          )}
        </>
      )}
      <div className="flex flex-wrap gap-2">
        <Button className="px-3" onClick={() => setOpen("editor")}>
          {series.items.length ? "Edit" : "Make one"}
        </Button>
        {series.items.length > 0 && (
          <Button className="px-3" onClick={() => setOpen("table")}>
            All specimens
          </Button>
        )}
      </div>
      <Panel
        open={open === "editor"}
        title={`Series for “${series.specimen_kind}”`}
        onClose={() => setOpen(null)}
      >
        <SeriesEditor series={series} measuring={measuring} onDone={() => setOpen(null)} />
      </Panel>
      <Panel
        open={open === "table"}
        size="wide"
        title={`Series for “${series.specimen_kind}”, all specimens`}
        onClose={() => setOpen(null)}
      >
        <SeriesTable mergeId={measuring.merge_id} />
      </Panel>
    </div>
  );
}

function value(item: SeriesItem, measuring: Measuring): string | null {
  const told = measuring.measures.find((one) => one.id === item.taken)?.told;
  return told ? stated(told.value, told.expanded, told.unit) : null;
}
