import { type LedgerHead, pictureUrl } from "../../client/api";
import { Panel } from "../../ui/Panel";
import { SmallDrawing, shown } from "./cells";
import type { Line } from "./search";

const NOT_COMPARED = ["catalogue_number", "name", "stack_number", "take_number", "merge_number"];

interface Props {
  lines: Line[];
  head: LedgerHead;
  open: boolean;
  onClose: () => void;
}

/** Two to six stacks at the same physical scale, with their ladders and what differs between them. */
export function Beside({ lines, head, open, onClose }: Props) {
  const widths = lines.map(fieldUm);
  const widest = Math.max(...widths.map((one) => one ?? 0));
  const differing = head.columns.filter(
    ({ key }) =>
      !NOT_COMPARED.includes(key) && new Set(lines.map((one) => JSON.stringify(one.values[key]))).size > 1,
  );
  return (
    <Panel title="Side by side, at the same scale" open={open} onClose={onClose} size="full">
      <div className="overflow-x-auto">
        <table className="w-full table-fixed text-[0.9375rem]">
          <thead>
            <tr className="text-left align-bottom">
              <th className="w-[170px]">
                <span className="sr-only">What differs</span>
              </th>
              {lines.map((line, i) => (
                <th key={line.stack_id} className="min-w-[150px] p-1.5 font-normal">
                  {line.merge_id !== null && widths[i] ? (
                    <img
                      alt={`Composite of ${line.values.catalogue_number}`}
                      className="bg-mat"
                      style={{ width: `${(100 * (widths[i] ?? 0)) / widest}%` }}
                      src={pictureUrl("composite", line.merge_id, "preview.jpg")}
                    />
                  ) : (
                    <p className="text-ink2">
                      {line.merge_id === null
                        ? "not merged yet"
                        : "its scale is not known: not shown beside others"}
                    </p>
                  )}
                  <span className="mt-1 flex items-center gap-2">
                    <SmallDrawing drawing={line.drawing} />
                    <span>
                      <strong className="head block">{String(line.values.catalogue_number)}</strong>
                      {String(line.values.name)}
                    </span>
                  </span>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {differing.map((column) => (
              <tr key={column.key} className="border-rule border-t">
                <th scope="row" className="py-1 text-left font-normal text-ink2">
                  {column.label}
                  {column.unit && !["f/", "×"].includes(column.unit) && `, ${column.unit}`}
                </th>
                {lines.map((line) => (
                  <td key={line.stack_id} className="px-1.5">
                    {shown(column, line.values[column.key]) || "not known"}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="mt-2 text-ink2">Whatever is alike in all of them is not listed.</p>
    </Panel>
  );
}

/** How wide the picture is in the specimen, µm; null where its scale is not known. */
function fieldUm(line: Line): number | null {
  const width = line.drawing.width_px;
  const scale = line.values.um_per_px;
  if (typeof width !== "number" || typeof scale !== "number" || line.values.scale_from === null) return null;
  return width * scale;
}
