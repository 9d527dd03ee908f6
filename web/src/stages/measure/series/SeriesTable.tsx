import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { api } from "../../../client/api";
import { digits, trimmed } from "../../../lib/numbers";
import { Notice } from "../../../ui/Notice";
import { stated } from "../kinds";

/** A series over all specimens: values, mean and spread, and what stands apart. */
export function SeriesTable({ mergeId }: { mergeId: number }) {
  const found = useQuery({
    queryKey: ["measureSeries", mergeId, "table"],
    queryFn: () => api.seriesTable(mergeId),
  });
  if (found.error) return <Notice kind="fault">{found.error.message}</Notice>;
  if (!found.data) return <p className="text-ink2">Reckoning all of them …</p>;
  const { columns, rows } = found.data;
  if (rows.length === 0)
    return <p className="text-ink2">None of these was taken yet, on any specimen of this kind.</p>;
  const apart = rows.flatMap((row) =>
    row.cells.flatMap((cell, i) => (cell?.outlier ? [`${row.catalogue_number}, ${columns[i]?.name}`] : [])),
  );
  const few = columns.filter((one) => !one.outliers_told).length;
  return (
    <div className="space-y-3">
      <div className="overflow-x-auto">
        <table className="w-full">
          <thead>
            <tr className="border-ink border-b text-left align-bottom">
              <th scope="col" className="py-1 pr-3">
                Specimen
              </th>
              {columns.map((one) => (
                <th key={one.name} scope="col" className="px-2 py-1 text-right">
                  {one.name}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={row.stack_id} className="border-rule border-b">
                <th scope="row" className="py-1 pr-3 text-left font-normal">
                  <Link
                    to="/stacks/$stackId/$stage"
                    params={{ stackId: String(row.stack_id), stage: "measure" }}
                    className="underline underline-offset-3"
                  >
                    {row.catalogue_number}
                  </Link>{" "}
                  <span className="text-ink2">
                    {row.specimen}, stack {row.stack}
                  </span>
                </th>
                {row.cells.map((cell, i) => (
                  <td
                    key={columns[i]?.name}
                    className={`whitespace-nowrap px-2 py-1 text-right ${cell?.outlier ? "bg-amber-wash font-bold" : ""}`}
                  >
                    {cell ? stated(cell.value, cell.expanded, columns[i]?.unit ?? "") : "–"}
                    {cell?.outlier && (
                      <span className="block text-[0.8125rem] font-normal">stands apart</span>
                    )}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
          <tfoot>
            {(
              [
                ["Mean", (one) => one.mean],
                ["Spread (s)", (one) => one.s],
              ] as [string, (one: (typeof columns)[number]) => number | null][]
            ).map(([label, of]) => (
              <tr key={label} className="border-rule border-t">
                <th scope="row" className="py-1 pr-3 text-left">
                  {label}
                </th>
                {columns.map((one) => {
                  const value = of(one);
                  return (
                    <td key={one.name} className="whitespace-nowrap px-2 py-1 text-right font-bold">
                      {value === null ? "–" : `${trimmed(digits(value, 4))} ${one.unit}`}
                    </td>
                  );
                })}
              </tr>
            ))}
            <tr>
              <th scope="row" className="py-1 pr-3 text-left">
                n
              </th>
              {columns.map((one) => (
                <td key={one.name} className="px-2 py-1 text-right">
                  {one.n}
                </td>
              ))}
            </tr>
          </tfoot>
        </table>
      </div>
      <p className="text-[0.9375rem] text-ink2">
        {apart.length > 0 &&
          `Standing apart, more than 3.5 robust standard deviations from the median: ${apart.join("; ")}. They count in the mean. `}
        {few > 0 && "Where there are fewer than five values, none is told from the others. "}
        Of each stack the merge that counts, or else the latest that was measured on.
      </p>
      <p>
        <a
          href={`/api/merges/${mergeId}/series.csv`}
          className="inline-flex min-h-9 items-center underline underline-offset-3"
        >
          Table (CSV)
        </a>
      </p>
    </div>
  );
}
