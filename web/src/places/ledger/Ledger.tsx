import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { lazy, Suspense, useDeferredValue, useEffect, useState } from "react";
import { api } from "../../client/api";
import { plural } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Notice, Placeholder } from "../../ui/Notice";
import { Beside } from "./Beside";
import { AddFilter, Columns, Views } from "./Filters";
import { chips, filterOf, type Line, readSearch, type Search } from "./search";
import { Table } from "./Table";

const Plots = lazy(() => import("./Plots"));
const MOST_BESIDE = 6;
const TABS = [
  ["all", "All", []],
  ["again", "To shoot again", ["again"]],
  ["scale_open", "No measured scale", ["scale_open"]],
  ["not_merged", "No record yet", ["not_merged"]],
] as const;

/** All stacks compared: found by what is known of them, in a table and in plots that share what was chosen. */
export function Ledger() {
  const search = useSearch({ from: "/ledger" });
  const navigate = useNavigate({ from: "/ledger" });
  const [beside, setBeside] = useState<Line[]>([]);
  const [comparing, setComparing] = useState(false);
  const set = (change: Partial<Search>) =>
    void navigate({ search: (now: Search) => readSearch({ ...now, ...change }), replace: true });
  const [words, setWords] = useState(search.words ?? "");
  useEffect(() => setWords(search.words ?? ""), [search.words]);
  const filter = useDeferredValue(filterOf(search));
  const by = search.by ?? "shot_at";
  const descending = search.descending ?? true;
  const head = useQuery({
    queryKey: ["ledgerHead"],
    queryFn: api.ledgerHead,
    placeholderData: keepPreviousData,
  });
  // The first lines tell how many there are, and how many are still being written anew.
  const first = useQuery({
    queryKey: ["ledger", filter, by, descending, 0],
    queryFn: () => api.ledger({ ...filter, by, descending, offset: 0, most: 100 }),
    placeholderData: keepPreviousData,
    refetchInterval: ({ state }) => (state.data?.behind ? 600 : false),
  });
  if (head.isError || first.isError)
    return (
      <Placeholder>
        <Notice kind="fault" title="The ledger cannot be shown so.">
          {(head.error ?? first.error)?.message}
        </Notice>
        <Button className="mt-2" onClick={() => void navigate({ search: {} })}>
          Show all stacks
        </Button>
      </Placeholder>
    );
  if (!head.data || !first.data) return <Placeholder>Fetching the ledger …</Placeholder>;
  const { counts } = head.data;
  const columns = search.column ?? head.data.columns.filter((one) => one.shown).map((one) => one.key);
  const title = (key: string) =>
    head.data?.columns.find((one) => one.key === key)?.label.toLowerCase() ?? key;
  const asked = chips(search, title);
  const having = search.having ?? [];
  const address = addressOf(search);
  const choose = (stack: number, row: Line, chosen: boolean) =>
    setBeside((now) =>
      chosen ? [...now, row].slice(-MOST_BESIDE) : now.filter((one) => one.stack_id !== stack),
    );
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_clamp(300px,28vw,420px)] small:block small:h-auto">
      <div className="flex min-h-0 min-w-0 flex-col px-5 pt-3 small:h-[90vh]">
        <h1 className="sr-only">Ledger</h1>
        <div className="flex flex-wrap items-center gap-2">
          <input
            type="search"
            aria-label="Find stacks"
            placeholder={`Find in ${plural(counts.all ?? 0, "stack")}`}
            className="min-h-11 w-48 rounded-s border border-ink bg-card px-3 placeholder:text-ink2 placeholder:opacity-100"
            value={words}
            onChange={({ target }) => {
              setWords(target.value);
              set({ words: target.value });
            }}
          />
          <AddFilter head={head.data} search={search} set={set} />
          <Columns head={head.data} shown={columns} set={set} />
          <Views
            address={address}
            go={(saved) => void navigate({ search: readSearch(listed(saved)), replace: false })}
          />
          <a
            className="head inline-flex min-h-11 items-center rounded-s border border-ink bg-card px-3 text-[0.9375rem]"
            href={`/api/ledger/shown.csv?${csvOf(search, columns, by, descending)}`}
            download
          >
            CSV of these
          </a>
          <a
            className="inline-flex min-h-11 items-center text-[0.9375rem] text-ink2 underline underline-offset-3"
            href={`/api/ledger/shown.parquet?${csvOf(search, columns, by, descending)}`}
            download
          >
            Parquet
          </a>
          <a
            className="inline-flex min-h-11 items-center text-[0.9375rem] text-ink2 underline underline-offset-3"
            href={`/api/ledger/darwin-core.zip?${addressOf(filterOf(search))}`}
            download
          >
            For a collection
          </a>
          <a
            className="inline-flex min-h-11 items-center text-[0.9375rem] text-ink2 underline underline-offset-3"
            href="/api/ledger.csv"
            download
          >
            All as CSV
          </a>
        </div>
        <div className="mt-2 flex flex-wrap items-center gap-2 empty:hidden">
          {asked.map((one) => (
            <button
              key={one.words}
              type="button"
              aria-label={`Take away the filter ${one.words}`}
              className="min-h-8 rounded-s border border-mark px-2 text-[0.9375rem] text-mark"
              onClick={() => set(one.without)}
            >
              {one.words} ×
            </button>
          ))}
        </div>
        <div className="mt-1 flex flex-wrap items-center gap-x-5">
          <nav aria-label="Views" className="flex flex-wrap gap-x-5">
            {TABS.map(([key, label, flags]) => {
              const here = flags.length === having.length && flags.every((one) => having.includes(one));
              return (
                <button
                  key={key}
                  type="button"
                  aria-current={here || undefined}
                  className={`head min-h-10 border-b-[4px] text-[0.9375rem] ${here ? "border-amber-fill" : "border-transparent text-ink2"}`}
                  onClick={() => set({ having: [...flags] })}
                >
                  {label}{" "}
                  <span className={key === "again" && counts.again ? "text-fault" : ""}>{counts[key]}</span>
                </button>
              );
            })}
          </nav>
          <span className="text-[0.9375rem] text-ink2" role="status">
            {first.data.total} of {counts.all}
            {first.data.behind > 0 && `, ${first.data.behind} still being counted`}
          </span>
          <span className="ml-auto">
            <Button disabled={beside.length < 2} onClick={() => setComparing(true)}>
              Side by side, {beside.length} chosen
            </Button>
          </span>
        </div>
        {first.data.total === 0 ? (
          <Notice kind="hint" title="No stack is like that.">
            {counts.all === 0
              ? "Plan the first one from the cabinet."
              : "Take a filter away, or look for other words."}
          </Notice>
        ) : (
          <Table
            head={head.data}
            columns={columns}
            byHand={search.column !== undefined}
            filter={filter}
            total={first.data.total}
            by={by}
            descending={descending}
            chosen={beside.map((one) => one.stack_id)}
            onSort={(key) => set({ by: key, descending: key === by ? !descending : key.endsWith("_at") })}
            onChoose={choose}
          />
        )}
      </div>
      <aside
        aria-label="Plots"
        className="min-h-0 overflow-y-auto border-ink border-l bg-card p-4 small:border-t small:border-l-0"
      >
        <Suspense fallback={<p className="text-ink2">The plot is being drawn …</p>}>
          <Plots which={search.plot ?? "step"} search={search} set={set} />
        </Suspense>
      </aside>
      <Beside lines={beside} head={head.data} open={comparing} onClose={() => setComparing(false)} />
    </div>
  );
}

/** A saved address with its lists put together again. */
function listed(saved: string): Record<string, unknown> {
  const found: Record<string, string[]> = {};
  for (const [key, value] of new URLSearchParams(saved)) found[key] = [...(found[key] ?? []), value];
  const lines = ["words", "since", "until", "by", "plot", "descending"];
  return Object.fromEntries(
    Object.entries(found).map(([key, all]) => [key, lines.includes(key) ? all[0] : all]),
  );
}

function csvOf(search: Search, columns: string[], by: string, descending: boolean): string {
  return addressOf({ ...filterOf(search), column: columns, by, descending });
}

function addressOf(told: object): string {
  return new URLSearchParams(
    Object.entries(told).flatMap(([key, value]) => [value].flat().map((one) => [key, String(one)])),
  ).toString();
}
