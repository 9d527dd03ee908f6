import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { Day, DayChange, DayEntry, DayItem } from "../../client/api";
import { plural } from "../../lib/numbers";
import { clock, costs, dateOf, entryOf, inFull, minutes, newDay, shifted } from "../../specimen/day";
import { Holding } from "../../specimen/Holding";
import { useDay } from "../../specimen/useDay";
import { Button } from "../../ui/Button";
import { Failures, Notice, Placeholder } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";
import { AddStacks } from "./AddStacks";
import { Band } from "./Band";
import { DayRows } from "./DayRows";
import { Hours } from "./Hours";
import { ItsTime } from "./ItsTime";

type Opened = "add" | "hours" | DayItem | null;

/** A day at the bench: what is shot when, what comes next, and what does not fit. */
export function DayPage({ date }: { date?: string }) {
  const today = dateOf(new Date());
  const on = date ?? today;
  const { day, change, order } = useDay(on);
  const navigate = useNavigate();
  const [opened, setOpened] = useState<Opened>(null);
  const [told, setTold] = useState("");
  const go = (to: string) => void navigate({ to: "/day", search: to === today ? {} : { on: to } });
  const view = day.data;
  const entry = view ? entryOf(view) : newDay(on);
  const items = entry.items ?? [];
  const saving = change.isPending || order.isPending;
  const done = (answer: DayChange) => {
    setTold(costs(answer));
    setOpened(null);
  };
  const save = (now: Partial<DayEntry>) => change.mutate({ ...entry, ...now }, { onSuccess: done });
  const move = (from: number, to: number) => {
    const moved = [...items];
    moved.splice(to, 0, ...moved.splice(from, 1));
    save({ items: moved });
  };
  const next = view?.items.find((one) => one.state !== "done") ?? null;
  const toCome = view?.items.filter((one) => one.state === "to come").length ?? 0;
  const over = on < today;

  return (
    <div className="h-full overflow-y-auto px-5 pb-6">
      <div className="sticky top-0 z-20 -mx-5 flex flex-wrap items-center gap-x-4 gap-y-1 bg-sheet px-5 py-3">
        <h1 className="text-[1.25rem]">{inFull(on)}</h1>
        <span className="flex items-center gap-1">
          <Button className="px-3" onClick={() => go(shifted(on, -1))}>
            Day before
          </Button>
          {on !== today && (
            <Button className="px-3" onClick={() => go(today)}>
              Today
            </Button>
          )}
          <Button className="px-3" onClick={() => go(shifted(on, 1))}>
            Day after
          </Button>
        </span>
        <span className="ml-auto flex flex-wrap items-center gap-2">
          <Button onClick={() => setOpened("hours")}>Hours and breaks</Button>
          {toCome > 1 && view && !over && (
            <Button disabled={saving} onClick={() => order.mutate(view.revision, { onSuccess: done })}>
              {order.isPending ? "Looking for it …" : "Best order"}
            </Button>
          )}
          <Button look={next ? "plain" : "next"} onClick={() => setOpened("add")}>
            Add to the list
          </Button>
          {next && on === today && (
            <Link
              to="/stacks/$stackId/$stage"
              params={{ stackId: String(next.stack_id), stage: "shoot" }}
              className="head inline-flex min-h-11 items-center rounded-s border border-amber bg-amber-fill px-4 text-[0.9375rem] text-on-amber hover:brightness-95"
            >
              {next.state === "shooting" ? "To the run of" : "Next:"} {next.catalogue_number}
            </Link>
          )}
        </span>
      </div>
      {day.isError && (
        <Notice kind="fault" title="The day cannot be read.">
          {day.error.message}
        </Notice>
      )}
      <Failures of={[change.error, order.error]} />
      {day.isPending && <Placeholder>Opening the day …</Placeholder>}
      {day.isSuccess && !view?.items.length && (
        <Placeholder>
          <p>
            Nothing stands on the list of this day. Put on it what is planned: the order with the fewest
            changes of rig, in which what melts comes in time, is found for you.
          </p>
        </Placeholder>
      )}
      {!!view?.unreadable.length && (
        <Notice
          kind="fault"
          title={`${plural(view.unreadable.length, "stack")} of this list cannot be read.`}
        >
          {view.unreadable.length > 1 ? "They are" : "It is"} left away here: plan anew what is missing.
        </Notice>
      )}
      {view && view.items.length > 0 && (
        <>
          {over ? <Past day={view} /> : <Ahead day={view} toCome={toCome} told={told} />}
          <DayRows
            over={over}
            items={view.items}
            next={next?.stack_id ?? null}
            onMove={move}
            onRemove={(id) => save({ items: items.filter((one) => one.stack_id !== id) })}
            onTell={setOpened}
          />
        </>
      )}
      <Panel title="Put on the list" open={opened === "add"} onClose={() => setOpened(null)}>
        <Failures of={[change.error]} />
        <AddStacks
          listed={new Set(items.map((one) => one.stack_id))}
          saving={saving}
          onAdd={(ids) => save({ items: [...items, ...ids.map((stack_id) => ({ stack_id }))] })}
        />
      </Panel>
      <Panel title="Hours and breaks" open={opened === "hours"} onClose={() => setOpened(null)}>
        <Failures of={[change.error]} />
        {opened === "hours" && (
          <Hours on={on} entry={entry} saving={saving} onSave={({ items: _, ...now }) => save(now)} />
        )}
        <h2 className="mt-6 text-[1rem]">In the background</h2>
        <Holding />
      </Panel>
      {typeof opened === "object" && opened && (
        <Panel
          title={`Time for ${opened.catalogue_number} ${opened.name}`}
          open
          onClose={() => setOpened(null)}
        >
          <Failures of={[change.error]} />
          <ItsTime
            on={on}
            item={opened}
            entry={items.find((one) => one.stack_id === opened.stack_id) ?? { stack_id: opened.stack_id }}
            saving={saving}
            onSave={(one) =>
              save({ items: items.map((other) => (other.stack_id === one.stack_id ? one : other)) })
            }
          />
        </Panel>
      )}
    </div>
  );
}

const numbers = (items: DayItem[]) => items.map((one) => one.catalogue_number).join(", ");

/** A day that is still to be: what comes, what it takes, and what does not fit. */
function Ahead({ day, toCome, told }: { day: Day; toCome: number; told: string }) {
  const out = day.items.filter((one) => !one.fits);
  const { changes, ends_at } = day.totals;
  return (
    <>
      {out.length > 0 && (
        <Notice
          kind="fault"
          title={`${plural(out.length, "stack does", "stacks do")} not fit into this day:`}
        >
          {numbers(out)}. Take off what can wait, make the day longer, or look for the best order.
        </Notice>
      )}
      <p className="py-2 text-ink2" role="status">
        {told && <strong className="text-ink">{told} </strong>}
        {ends_at
          ? `${toCome} to come with ${plural(changes, "change")} of rig, the last frame at ${clock(ends_at)}. `
          : "All of it is shot. "}
        {day.rig_name ? `On the bench: ${day.rig_name}. ` : "Which rig stands on the bench is not known. "}
        Setting up ({minutes(day.set_up_s)}) and changing rigs ({minutes(day.change_s)}) are assumed.
      </p>
      <Band day={day} />
    </>
  );
}

/** A day that is over: what was shot, and what was not. */
function Past({ day }: { day: Day }) {
  const shot = day.items.filter((one) => one.state !== "to come");
  const missed = day.items.filter((one) => one.state === "to come");
  return (
    <>
      {missed.length > 0 && (
        <Notice kind="hint" title={`${plural(missed.length, "stack was", "stacks were")} not shot:`}>
          {numbers(missed)}. Put them on the list of another day.
        </Notice>
      )}
      <p className="py-2 text-ink2" role="status">
        {shot.length} of {day.items.length} shot.
      </p>
      <Band day={{ ...day, items: shot }} />
    </>
  );
}
