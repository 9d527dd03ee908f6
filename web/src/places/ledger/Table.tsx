import { keepPreviousData, useMutation, useQueries } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type RefObject, useEffect, useRef, useState } from "react";
import { api, type LedgerHead, pictureUrl } from "../../client/api";
import { trimmed } from "../../lib/numbers";
import { Notice } from "../../ui/Notice";
import { SmallDrawing, shown } from "./cells";
import type { Line } from "./search";

const PAGE = 100;
const ROW_PX = 58;
const CHOOSE_PX = 34;
const PICTURE_PX = 76;
const LADDER_PX = 44;
const WRONG_PX = 170;

/** How wide a column is at least; what room is left is shared by all. */
function widthPx(key: string, kind: string | undefined): number {
  if (key === "catalogue_number") return 140;
  if (["name", "rig_name", "shot_with"].includes(key)) return 126;
  return kind === "text" ? 100 : 72;
}

/** As many from the front as there is room for, one at least. */
function fitting<T extends { widthPx: number }>(all: T[], roomPx: number): T[] {
  let left = roomPx;
  return all.filter((one, i) => {
    left -= one.widthPx;
    return i === 0 || left >= 0;
  });
}

/** How wide an element is, 0 before it is there. */
function useWidth(of: RefObject<HTMLElement | null>): number {
  const [width, setWidth] = useState(0);
  useEffect(() => {
    if (!of.current) return;
    const watch = new ResizeObserver(([entry]) => setWidth(entry?.contentRect.width ?? 0));
    watch.observe(of.current);
    return () => watch.disconnect();
  }, [of]);
  return width;
}

interface Props {
  head: LedgerHead;
  columns: string[];
  /** Whether somebody chose them: then all of them are shown, and the table scrolls sideways. */
  byHand: boolean;
  filter: Record<string, unknown>;
  total: number;
  by: string;
  descending: boolean;
  chosen: number[];
  onSort: (by: string) => void;
  onChoose: (stack: number, row: Line, chosen: boolean) => void;
}

/** The stacks that were found. Only the lines in sight are there, and fetched, a hundred at a time. */
export function Table({
  head,
  columns,
  byHand,
  filter,
  total,
  by,
  descending,
  chosen,
  onSort,
  onChoose,
}: Props) {
  const scroller = useRef<HTMLDivElement>(null);
  const rows = useVirtualizer({
    count: total,
    getScrollElement: () => scroller.current,
    estimateSize: () => ROW_PX,
    overscan: 12,
  });
  const seen = rows.getVirtualItems();
  const first = seen[0]?.index ?? 0;
  const last = seen.at(-1)?.index ?? 0;
  const wanted: number[] = [];
  for (let page = Math.floor(first / PAGE); page <= Math.floor(last / PAGE); page++) wanted.push(page);
  const pages = useQueries({
    queries: wanted.map((page) => ({
      queryKey: ["ledger", filter, by, descending, page],
      queryFn: () => api.ledger({ ...filter, by, descending, offset: page * PAGE, most: PAGE }),
      placeholderData: keepPreviousData,
    })),
  });
  const lineAt = (index: number): Line | undefined =>
    pages[wanted.indexOf(Math.floor(index / PAGE))]?.data?.rows[index % PAGE];
  const failed = pages.find((one) => one.isError);
  const room = useWidth(scroller);
  const all = columns.map((key) => {
    const column = head.columns.find((one) => one.key === key);
    return { key, column, widthPx: widthPx(key, column?.kind) };
  });
  const pictures = room === 0 || room > 700;
  const marksPx = CHOOSE_PX + LADDER_PX + WRONG_PX + (pictures ? PICTURE_PX : 0);
  // Nobody chose the usual ones: those that have no room are left to who does choose.
  const titles = byHand || room === 0 ? all : fitting(all, room - marksPx);
  const before = seen[0]?.start ?? 0;
  const after = rows.getTotalSize() - (seen.at(-1)?.end ?? 0);
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by the keyboard.
    <section ref={scroller} className="min-h-0 flex-1 overflow-auto" aria-label="Stacks" tabIndex={0}>
      {failed && <Notice kind="fault">{failed.error?.message}</Notice>}
      <table
        className="w-full table-fixed text-[0.9375rem]"
        style={{ minWidth: marksPx + titles.reduce((sum, one) => sum + one.widthPx, 0) }}
        aria-rowcount={total + 1}
      >
        <thead className="sticky top-0 z-10 bg-sheet">
          <tr className="text-left text-[0.875rem] text-ink2">
            <th style={{ width: CHOOSE_PX }}>
              <span className="sr-only">Choose</span>
            </th>
            {pictures && (
              <th style={{ width: PICTURE_PX }}>
                <span className="sr-only">Picture</span>
              </th>
            )}
            <th style={{ width: LADDER_PX }}>
              <span className="sr-only">Ladder</span>
            </th>
            {titles.map(({ key, column, widthPx: width }) => (
              <th
                key={key}
                style={{ width }}
                aria-sort={by !== key ? undefined : descending ? "descending" : "ascending"}
              >
                {column ? (
                  <button
                    type="button"
                    title={column.unit ? `${column.label}, ${column.unit}` : column.label}
                    className="min-h-9 w-full pr-2 text-left leading-tight hover:text-ink hover:underline"
                    onClick={() => onSort(key)}
                  >
                    {column.label}
                    {column.unit && column.unit !== "f/" && column.unit !== "×" && `, ${column.unit}`}
                    {by === key && <span aria-hidden="true">{descending ? " ▾" : " ▴"}</span>}
                  </button>
                ) : (
                  <span className="block truncate">{key.replace("series:", "")}</span>
                )}
              </th>
            ))}
            <th style={{ width: WRONG_PX }}>What is wrong</th>
          </tr>
        </thead>
        <tbody>
          {before > 0 && <tr style={{ height: before }} />}
          {seen.map((item) => {
            const line = lineAt(item.index);
            return (
              <tr
                key={item.key}
                aria-rowindex={item.index + 2}
                className="border-rule border-b"
                style={{ height: ROW_PX }}
              >
                {line ? (
                  <Cells
                    line={line}
                    titles={titles}
                    pictures={pictures}
                    chosen={chosen.includes(line.stack_id)}
                    onChoose={(now) => onChoose(line.stack_id, line, now)}
                  />
                ) : (
                  <td colSpan={titles.length + 4} className="text-ink2">
                    …
                  </td>
                )}
              </tr>
            );
          })}
          {after > 0 && <tr style={{ height: after }} />}
        </tbody>
      </table>
    </section>
  );
}

interface CellProps {
  line: Line;
  titles: { key: string; column: LedgerHead["columns"][number] | undefined }[];
  pictures: boolean;
  chosen: boolean;
  onChoose: (chosen: boolean) => void;
}

function Cells({ line, titles, pictures, chosen, onChoose }: CellProps) {
  const navigate = useNavigate();
  const repair = useMutation({
    mutationFn: api.planAgain,
    onSuccess: (stack) =>
      navigate({ to: "/stacks/$stackId/$stage", params: { stackId: String(stack.id), stage: "plan" } }),
  });
  const name = `${line.values.catalogue_number}, stack ${line.values.stack_number}`;
  const params = { stackId: String(line.stack_id), stage: line.merge_id === null ? "plan" : "record" };
  return (
    <>
      <td>
        <label className="flex min-h-9 items-center">
          <input
            type="checkbox"
            aria-label={`Choose ${name}`}
            checked={chosen}
            onChange={({ target }) => onChoose(target.checked)}
          />
        </label>
      </td>
      {pictures && (
        <td>
          {line.merge_id !== null && (
            <img
              alt=""
              loading="lazy"
              className="h-[46px] w-[68px] bg-mat object-cover"
              src={pictureUrl("composite", line.merge_id, "preview.jpg")}
            />
          )}
        </td>
      )}
      <td>
        <SmallDrawing drawing={line.drawing} />
      </td>
      {titles.map(({ key, column }) => (
        <td key={key} className="truncate pr-3 align-middle">
          {key === "catalogue_number" ? (
            <>
              <Link
                to="/stacks/$stackId/$stage"
                params={params}
                className="head inline-block min-h-6 underline underline-offset-3"
              >
                {String(line.values[key])}
              </Link>
              <span className="block truncate text-[0.875rem] text-ink2">{String(line.values.name)}</span>
            </>
          ) : key === "um_per_px" && column ? (
            <>
              {shown(column, line.values[key])}
              <span className="block text-[0.875rem] text-ink2">
                {line.values.scale_from === null ? "not known" : String(line.values.scale_from)}
              </span>
            </>
          ) : column?.kind === "text" ? (
            <span
              className="line-clamp-2 whitespace-normal leading-tight"
              title={shown(column, line.values[key])}
            >
              {shown(column, line.values[key])}
            </span>
          ) : column ? (
            <span title={shown(column, line.values[key])}>{shown(column, line.values[key])}</span>
          ) : (
            seriesValue(line, key)
          )}
        </td>
      ))}
      <td className="align-middle text-[0.875rem] leading-tight">
        {line.again.slice(0, 2).map((one) => (
          <span key={one.words} className="block">
            <span className="text-fault">{one.words}</span>{" "}
            {one.stage === "plan" ? (
              <button
                type="button"
                className="min-h-6 text-left underline underline-offset-3"
                aria-label={`${one.do}: ${line.values.catalogue_number}`}
                disabled={repair.isPending}
                onClick={() => repair.mutate(line.stack_id)}
              >
                {one.do}
              </button>
            ) : (
              <Link
                to="/stacks/$stackId/$stage"
                params={{ stackId: String(line.stack_id), stage: one.stage }}
                search={line.take_id ? { take: line.take_id } : {}}
                className="inline-block min-h-6 underline underline-offset-3"
              >
                {one.do}
              </Link>
            )}
          </span>
        ))}
        {repair.isError && (
          <span role="alert" className="block text-fault">
            {repair.error.message}
          </span>
        )}
        {line.again.length > 2 && <span className="text-ink2">and {line.again.length - 2} more</span>}
      </td>
    </>
  );
}

function seriesValue(line: Line, key: string): string {
  const found = line.series[key.replace("series:", "")] as { value: number | null; unit: string } | undefined;
  if (!found || found.value === null) return "";
  return `${trimmed(Number(found.value.toPrecision(4)).toString())} ${found.unit}`;
}
