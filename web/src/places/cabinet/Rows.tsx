import { Link } from "@tanstack/react-router";
import { type CabinetRow, pictureUrl } from "../../client/api";
import { fNumber, plural, trimmed, um } from "../../lib/numbers";
import { StackList } from "../../specimen/StackList";
import { Flyout } from "../../ui/Flyout";
import { COLUMNS, type Order } from "./sorting";

interface Props {
  rows: CabinetRow[];
  order: Order;
  onSort: (by: Order["by"]) => void;
}

const WIDTHS: Record<Order["by"], string> = {
  specimen: "",
  rig: "w-[16%]",
  aperture: "w-[8%]",
  step: "w-[11%]",
  scale: "w-[10%]",
  stacks: "w-[7%]",
  done: "w-[11%]",
  worked: "w-[9%]",
};

/** The rows of a page; a click on a heading sorts by it. */
export function Rows({ rows, order, onSort }: Props) {
  return (
    <table className="mx-5 mb-6 w-[calc(100%-40px)] table-fixed text-[0.9375rem]">
      <thead>
        <tr className="border-rule border-b text-left text-[0.875rem] text-ink2">
          <th className="w-[70px] py-1">
            <span className="sr-only">Picture</span>
          </th>
          {COLUMNS.map(({ key, label }) => (
            <th
              key={key}
              className={WIDTHS[key]}
              aria-sort={order.by !== key ? undefined : order.descending ? "descending" : "ascending"}
            >
              {/* The keyboard sorts by the choice above: eight stops here would stand before every result. */}
              <button
                type="button"
                tabIndex={-1}
                className="min-h-9 min-w-9 max-w-full truncate text-left hover:text-ink hover:underline"
                onClick={() => onSort(key)}
              >
                {label}
                {order.by === key && <span aria-hidden="true">{order.descending ? " ▾" : " ▴"}</span>}
              </button>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <SpecimenRow key={row.specimen.id} row={row} />
        ))}
      </tbody>
    </table>
  );
}

function SpecimenRow({ row: { specimen, stack, stacks, merge_id, worked_at } }: { row: CabinetRow }) {
  const title = `${specimen.catalogue_number} ${specimen.name}`;
  const under = [
    specimen.kind,
    specimen.mount !== `in ${specimen.medium}` && specimen.mount,
    specimen.medium_index > 1 && `in ${specimen.medium} (n ${specimen.medium_index})`,
  ]
    .filter(Boolean)
    .join(", ");
  const inMedium = stack && specimen.medium_index > 1;
  const takes = stacks.reduce((sum, one) => sum + one.takes.length, 0);
  const where = stack
    ? ({
        to: "/stacks/$stackId/$stage",
        params: { stackId: String(stack.id), stage: stack.goes_on_at },
      } as const)
    : ({ to: "/specimens/$specimenId/plan", params: { specimenId: String(specimen.id) } } as const);
  return (
    <tr className="relative border-rule border-b hover:bg-card">
      <td className="py-1.5 pr-2">
        {merge_id ? (
          <img
            alt=""
            loading="lazy"
            className="h-[42px] w-[60px] bg-mat object-cover"
            src={pictureUrl("composite", merge_id, "preview.jpg")}
          />
        ) : (
          <span className="grid h-[42px] w-[60px] place-items-center border border-rule border-dashed text-center text-[0.875rem] text-ink2 leading-tight">
            no picture
          </span>
        )}
      </td>
      <td className="pr-4">
        <div className="truncate" title={title}>
          <Link className="font-bold after:absolute after:inset-0" {...where}>
            {title}
          </Link>
        </div>
        <div className="truncate text-[0.875rem] text-ink2" title={under}>
          {under}
        </div>
      </td>
      <td className="truncate pr-4" title={stack?.rig_name}>
        {stack?.rig_name ?? <span className="text-ink2">not planned</span>}
      </td>
      <td className="pr-3">{stack && fNumber(stack.effective_f_number)}</td>
      <td className="pr-3">
        {stack && um(stack.step_um)}
        {inMedium && (
          <div className="truncate text-[0.875rem] text-ink2">
            {um(stack.step_in_medium_um)} in {specimen.medium}
          </div>
        )}
      </td>
      <td className="pr-3">
        {stack && (
          <>
            <div className="truncate">{trimmed(stack.pixel_um.toPrecision(3))} µm/px</div>
            <div className="text-[0.875rem] text-ink2">{stack.pixel_origin}</div>
          </>
        )}
      </td>
      <td className="pr-3">
        <Flyout
          label="Stacks and takes"
          trigger={
            <>
              <span className="sr-only">{title}: </span>
              {stacks.length > 0 ? plural(stacks.length, "stack") : "no stack"}
              <span className="sr-only">, </span>
              <span className="block text-[0.875rem] text-ink2">
                {takes > 0 ? plural(takes, "take") : stacks.length > 0 ? "not shot" : "label"}
              </span>
            </>
          }
          triggerClass="relative z-10 min-h-9 text-left leading-tight underline underline-offset-3"
          align="end"
          className="max-h-[70vh] w-[460px] overflow-y-auto"
        >
          <StackList specimen={specimen} stacks={stacks} />
        </Flyout>
      </td>
      <td className="pr-3">{stack && <Progress stages={stack.stages} busy={stack.busy} />}</td>
      <td className="text-[0.875rem] text-ink2">{day(worked_at)}</td>
    </tr>
  );
}

const day = (time: string) =>
  new Date(time).toLocaleDateString("en-GB", { day: "numeric", month: "short", year: "2-digit" });

function Progress({ stages, busy }: { stages: NonNullable<CabinetRow["stack"]>["stages"]; busy: boolean }) {
  const done = stages.filter((stage) => stage.done).map((stage) => stage.label.toLowerCase());
  const said = done.length > 0 ? `done: ${done.join(", ")}` : "nothing done yet";
  return (
    <div className="pr-3">
      <div role="img" aria-label={said} title={said} className="flex gap-1">
        {stages.map((stage) => (
          <span key={stage.key} className={`h-2 flex-1 ${stage.done ? "bg-amber-fill" : "bg-rule"}`} />
        ))}
      </div>
      {busy && <div className="pt-0.5 text-[0.875rem] text-ink2">at work now</div>}
    </div>
  );
}
