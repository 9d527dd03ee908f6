import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { ToggleGroup } from "radix-ui";
import { useDeferredValue, useState } from "react";
import { api } from "../../client/api";
import { bytes, moment } from "../../lib/numbers";
import { SpecimenForm } from "../../specimen/SpecimenForm";
import { Today } from "../../specimen/Today";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Notice, Placeholder } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";
import { BringList } from "./BringList";
import { BringPackage } from "./BringPackage";
import { Rows } from "./Rows";
import { COLUMNS, type Order, sorted } from "./sorting";

const PLURALS: Record<string, string> = {
  insect: "Insects",
  mineral: "Minerals",
  snow: "Snow",
  plant: "Plants",
};

const capital = (kind: string) => kind.charAt(0).toUpperCase() + kind.slice(1);

const PAGE = 50;

/** All specimens, and how far each has come. */
export function Cabinet() {
  const [words, setWords] = useState("");
  const [kind, setKind] = useState("");
  const [adding, setAdding] = useState(false);
  const [bringing, setBringing] = useState(false);
  const [unpacking, setUnpacking] = useState(false);
  const [order, setOrder] = useState<Order>({ by: "worked", descending: true });
  const [page, setPage] = useState(0);
  const asked = useDeferredValue(words);
  const found = useQuery({
    queryKey: ["cabinet", asked, kind],
    queryFn: () => api.cabinet(asked, kind),
    placeholderData: keepPreviousData,
  });
  const rows = sorted(found.data?.rows ?? [], order);
  const pages = Math.ceil(rows.length / PAGE);
  const shown = Math.min(page, Math.max(pages - 1, 0));
  const sort = (by: Order["by"]) => {
    setPage(0);
    setOrder((now) => ({ by, descending: by === now.by ? !now.descending : by === "worked" }));
  };

  return (
    <div className="h-full overflow-y-auto">
      <Today />
      <div className="sticky top-0 z-20 flex flex-wrap items-center gap-x-3 gap-y-1 bg-sheet px-5 py-3">
        <h1 className="sr-only">Cabinet</h1>
        {/* What is rarer comes first for the keyboard, so that results follow right after the search. */}
        <div className="order-last ml-auto flex flex-wrap items-center gap-x-4">
          <Choice
            beside
            label="Sorted by"
            value={order.by}
            options={COLUMNS.map(({ key, label }) => ({ value: key, label: label.toLowerCase() }))}
            onChange={(by) => {
              setPage(0);
              setOrder({ by: by as Order["by"], descending: by === "worked" });
            }}
          />
          <button
            type="button"
            className="min-h-11 text-[0.9375rem] text-ink2 underline underline-offset-3 hover:text-ink"
            onClick={() => setBringing(true)}
          >
            Bring in a list
          </button>
          <button
            type="button"
            className="min-h-11 text-[0.9375rem] text-ink2 underline underline-offset-3 hover:text-ink"
            aria-label="Bring in a package"
            onClick={() => setUnpacking(true)}
          >
            … a package
          </button>
          <Button look="next" onClick={() => setAdding(true)}>
            Add a specimen
          </Button>
        </div>
        <input
          type="search"
          aria-label="Find a specimen, label or rig"
          placeholder="Find a specimen, label or rig"
          className="h-11 w-[300px] rounded-s border border-ink bg-card px-3 placeholder:text-ink3"
          value={words}
          onChange={(event) => {
            setWords(event.target.value);
            setPage(0);
          }}
        />
        <ToggleGroup.Root
          type="single"
          aria-label="Show one kind only"
          className="flex flex-wrap"
          value={kind}
          onValueChange={(one) => {
            setKind(one);
            setPage(0);
          }}
        >
          {(found.data?.kinds ?? []).map((one) => (
            <ToggleGroup.Item
              key={one.kind}
              value={one.kind}
              className="min-h-11 px-2 text-ink2 hover:text-ink data-[state=on]:text-ink data-[state=on]:underline data-[state=on]:decoration-[3px] data-[state=on]:decoration-amber-fill data-[state=on]:underline-offset-8"
            >
              {PLURALS[one.kind] ?? capital(one.kind)} {one.count}
            </ToggleGroup.Item>
          ))}
        </ToggleGroup.Root>
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
      {rows.length > 0 && (
        <Rows rows={rows.slice(shown * PAGE, (shown + 1) * PAGE)} order={order} onSort={sort} />
      )}
      {pages > 1 && (
        <nav aria-label="Pages of the cabinet" className="flex items-center gap-4 px-5 pb-6">
          <Button disabled={shown === 0} onClick={() => setPage(shown - 1)}>
            Earlier page
          </Button>
          <span>
            {shown * PAGE + 1} to {Math.min((shown + 1) * PAGE, rows.length)} of {rows.length}
          </span>
          <Button disabled={shown === pages - 1} onClick={() => setPage(shown + 1)}>
            Later page
          </Button>
        </nav>
      )}
      <Upkeep />
      <Panel
        title="Bring in a list of specimens"
        size="wide"
        open={bringing}
        onClose={() => setBringing(false)}
      >
        <BringList onDone={() => setBringing(false)} />
      </Panel>
      <Panel title="Bring in a package" open={unpacking} onClose={() => setUnpacking(false)}>
        <BringPackage />
      </Panel>
      <Panel title="Add a specimen" open={adding} onClose={() => setAdding(false)}>
        <SpecimenForm onDone={() => setAdding(false)} />
      </Panel>
    </div>
  );
}

const OLD_DAYS = 7;

/** When the station was last backed up, and what room it has: said quietly while all is well. */
function Upkeep() {
  const station = useQuery({ queryKey: ["station"], queryFn: api.station, refetchInterval: 60_000 });
  if (!station.data) return null;
  const { backup, free_bytes } = station.data;
  const days = backup ? (Date.now() - Date.parse(backup.at)) / 86_400_000 : Number.POSITIVE_INFINITY;
  return (
    <p className="px-5 pb-6 text-[0.9375rem] text-ink2">
      <span className={days > OLD_DAYS ? "text-fault" : ""}>
        {backup
          ? `Last backup ${moment(backup.at)}, in ${backup.folder}.`
          : "No backup was ever made: ./ladder backup FOLDER makes one."}
      </span>{" "}
      <span className={free_bytes < LITTLE_ROOM ? "text-fault" : ""}>
        {bytes(free_bytes)} are free on the disk.
      </span>
    </p>
  );
}

const LITTLE_ROOM = 5e9;
