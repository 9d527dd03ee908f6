import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useDeferredValue, useState } from "react";
import { api, type CabinetRow, pictureUrl } from "../../client/api";
import { fNumber, trimmed, um } from "../../lib/numbers";
import { SpecimenForm } from "../../specimen/SpecimenForm";
import { Button } from "../../ui/Button";
import { Notice, Placeholder } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";

const PLURALS: Record<string, string> = {
  insect: "Insects",
  mineral: "Minerals",
  snow: "Snow",
  plant: "Plants",
};

/** All specimens, and how far each has come. */
export function Cabinet() {
  const [words, setWords] = useState("");
  const [kind, setKind] = useState("");
  const [adding, setAdding] = useState(false);
  const asked = useDeferredValue(words);
  const found = useQuery({
    queryKey: ["cabinet", asked, kind],
    queryFn: () => api.cabinet(asked, kind),
    placeholderData: keepPreviousData,
  });
  const rows = found.data?.rows ?? [];

  return (
    <div className="h-full overflow-y-auto">
      <div className="sticky top-0 z-10 flex flex-wrap items-center gap-3 bg-sheet px-5 py-4">
        <h1 className="sr-only">Cabinet</h1>
        <input
          type="search"
          aria-label="Find a specimen, label or rig"
          placeholder="Find a specimen, label or rig"
          className="h-11 w-[340px] rounded-s border border-ink bg-card px-3 placeholder:text-ink3"
          value={words}
          onChange={(event) => setWords(event.target.value)}
        />
        <fieldset aria-label="Show one kind only" className="flex flex-wrap">
          {(found.data?.kinds ?? []).map((one) => (
            <button
              key={one.kind}
              type="button"
              aria-pressed={kind === one.kind}
              className="min-h-11 px-2 text-ink2 hover:text-ink aria-pressed:text-ink aria-pressed:underline aria-pressed:decoration-[3px] aria-pressed:decoration-amber-fill aria-pressed:underline-offset-8"
              onClick={() => setKind(kind === one.kind ? "" : one.kind)}
            >
              {PLURALS[one.kind] ?? one.kind} {one.count}
            </button>
          ))}
        </fieldset>
        <span className="flex-1" />
        <a
          className="min-h-11 content-center text-[14px] text-ink2 underline underline-offset-3 hover:text-ink"
          href="/api/ledger.csv"
        >
          All stacks as CSV
        </a>
        <Button look="next" onClick={() => setAdding(true)}>
          Add a specimen
        </Button>
      </div>
      {found.isError && (
        <div className="px-5 pb-3">
          <Notice kind="fault" title="The cabinet cannot be read.">
            {found.error.message}
          </Notice>
        </div>
      )}
      {found.isPending && <Placeholder>Opening the cabinet …</Placeholder>}
      {found.isSuccess && rows.length === 0 && (
        <Placeholder>
          {words || kind ? (
            <>
              Nothing matches.{" "}
              <Button
                look="quiet"
                onClick={() => {
                  setWords("");
                  setKind("");
                }}
              >
                Show all specimens
              </Button>
            </>
          ) : (
            "The cabinet is empty. Add a specimen to begin: its label is all that is needed."
          )}
        </Placeholder>
      )}
      {rows.length > 0 && <Rows rows={rows} />}
      <Panel title="Add a specimen" open={adding} onClose={() => setAdding(false)}>
        <SpecimenForm onDone={() => setAdding(false)} />
      </Panel>
    </div>
  );
}

function Rows({ rows }: { rows: CabinetRow[] }) {
  return (
    <table className="mx-5 mb-8 w-[calc(100%-40px)] text-[15px]">
      <thead>
        <tr className="border-rule border-b text-left text-[13px] text-ink2">
          <th className="w-24 py-1.5">
            <span className="sr-only">Picture</span>
          </th>
          <th>Specimen</th>
          <th>Rig</th>
          <th>Eff. aperture</th>
          <th>Step</th>
          <th>Scale</th>
          <th className="w-40">Plan to record</th>
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

function SpecimenRow({ row: { specimen, stack } }: { row: CabinetRow }) {
  const title = `${specimen.catalogue_number} ${specimen.name}`;
  const inMedium = stack && specimen.medium_index > 1;
  return (
    <tr className="relative border-rule border-b hover:bg-card">
      <td className="py-2 pr-3">
        {stack?.merge_id ? (
          <img
            alt=""
            loading="lazy"
            className="h-[60px] w-[84px] bg-mat object-cover"
            src={pictureUrl("composite", stack.merge_id, "preview.jpg")}
          />
        ) : (
          <span className="grid h-[60px] w-[84px] place-items-center border border-rule border-dashed text-[12px] text-ink2">
            no picture
          </span>
        )}
      </td>
      <td className="pr-4">
        {stack ? (
          <Link
            className="font-bold after:absolute after:inset-0"
            to="/stacks/$stackId/$stage"
            params={{ stackId: String(stack.id), stage: stack.goes_on_at }}
          >
            {title}
          </Link>
        ) : (
          <Link
            className="font-bold after:absolute after:inset-0"
            to="/specimens/$specimenId/plan"
            params={{ specimenId: String(specimen.id) }}
          >
            {title}
          </Link>
        )}
        <div className="text-[13px] text-ink2">
          {specimen.kind}
          {specimen.mount && `, ${specimen.mount}`}
          {specimen.medium_index > 1 && `, in ${specimen.medium} (n ${specimen.medium_index})`}
        </div>
      </td>
      <td className="pr-4">{stack?.rig_name ?? <span className="text-ink2">not planned</span>}</td>
      <td className="pr-4">{stack && fNumber(stack.optics.effective_f_number)}</td>
      <td className="pr-4">
        {stack &&
          (inMedium ? (
            <>
              {um(stack.ladder.step_um)} stage,
              <br />
              {um(stack.ladder.step_in_medium_um)} in {specimen.medium}
            </>
          ) : (
            um(stack.ladder.step_um)
          ))}
      </td>
      <td className="pr-4">
        {stack && (
          <>
            {trimmed(stack.optics.pixel_um.toPrecision(3))} µm/px
            <div className="text-[13px] text-ink2">{stack.optics.pixel_origin}</div>
          </>
        )}
      </td>
      <td>{stack && <Progress stages={stack.stages} busy={stack.busy} />}</td>
    </tr>
  );
}

function Progress({ stages, busy }: { stages: NonNullable<CabinetRow["stack"]>["stages"]; busy: boolean }) {
  const done = stages.filter((stage) => stage.done).map((stage) => stage.label.toLowerCase());
  const said = done.length > 0 ? `done: ${done.join(", ")}` : "nothing done yet";
  return (
    <div>
      <div role="img" aria-label={said} title={said} className="flex gap-1">
        {stages.map((stage) => (
          <span key={stage.key} className={`h-2 w-8 ${stage.done ? "bg-amber-fill" : "bg-rule"}`} />
        ))}
      </div>
      {busy && <div className="pt-0.5 text-[13px] text-ink2">at work now</div>}
    </div>
  );
}
