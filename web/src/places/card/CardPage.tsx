import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useMemo, useState } from "react";
import { api, type Card, type CardStack } from "../../client/api";
import { stopIntake } from "../../client/intake";
import { show } from "../../client/live";
import { keyName } from "../../lib/commands";
import { bytes, plural } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { useCommands, useKeys } from "../../ui/commands";
import { Failures, Notice, Placeholder } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";
import { Rejected } from "../../ui/Rejected";
import { Work } from "../../ui/Work";
import { BringIn } from "./BringIn";
import { Closer } from "./Closer";
import {
  clock,
  doubtful,
  FEWER,
  flagWords,
  ordinal,
  type Tape as TapeOf,
  tapeOf,
  thinnable,
  withoutDoubt,
} from "./card";
import { GoesTo } from "./GoesTo";
import { Ladders } from "./Ladders";
import { Tape } from "./Tape";
import { useBringing, useIntake } from "./useBringing";

/** A change, given the card as the change before it left it. */
type Order = (now: Card) => Promise<Card>;

/** One card: its files as a tape, and the stacks that it becomes. */
export function CardPage({ cardId }: { cardId: number }) {
  const card = useQuery({ queryKey: ["card", cardId], queryFn: () => api.card(cardId) });
  if (card.isPending) return <Placeholder>Opening the card …</Placeholder>;
  if (!card.data)
    return (
      <Placeholder>
        <Notice kind="fault" title="This card cannot be shown.">
          {card.error?.message}{" "}
          <Link to="/card" className="underline underline-offset-3">
            To all cards
          </Link>
        </Notice>
      </Placeholder>
    );
  return <Opened card={card.data} />;
}

function Opened({ card }: { card: Card }) {
  const queries = useQueryClient();
  const intake = useIntake(card.id);
  const bring = useBringing();
  const [bringing, setBringing] = useState(false);
  const tape = useMemo(() => tapeOf(card), [card]);
  const change = useMutation({
    mutationFn: (order: Order) => order(queries.getQueryData<Card>(["card", card.id]) ?? card),
    onSuccess: async (view) => {
      await show(queries, ["card", card.id], view);
      void queries.invalidateQueries({ queryKey: ["deeds"] });
    },
    // Keys pressed quickly are all obeyed, each on what the one before it left.
    scope: { id: `card-${card.id}` },
  });
  const stop = useMutation({ mutationFn: (id: number) => api.stop(id) });
  const looking = card.task && ["waiting", "running"].includes(card.task.state);
  const clear = withoutDoubt(card);
  const act = change.mutate;
  const accept = (which: (now: Card) => CardStack[]) =>
    act((now) => {
      const firsts = which(now).map((one) => one.first);
      return firsts.length > 0 ? api.acceptStacks(card.id, firsts) : Promise.resolve(now);
    });
  useCommands({ acceptAll: () => accept(withoutDoubt) });
  const known = card.files.filter((file) => file.known_as).length;
  return (
    <div className="flex h-full min-h-0 flex-col small:h-auto">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1 px-5 pt-3 pb-2">
        <h1 className="text-[1.25rem]">
          {card.looked_at
            ? `${plural(tape.files.length, "file")} of ${card.name} become ${plural(card.stacks.length, "stack")}`
            : card.name}
        </h1>
        <span className="text-ink2">
          {card.files.length} in
          {known > 0 && ` · ${known} known already, not stored twice`}
          {tape.refused.length > 0 && ` · ${tape.refused.length} cannot be used`}
        </span>
        <div className="ml-auto flex gap-2">
          <Link
            to="/card"
            className="inline-flex min-h-11 items-center px-2 text-ink2 underline underline-offset-3 hover:text-ink"
          >
            All cards
          </Link>
          <Button onClick={() => setBringing(true)} disabled={Boolean(looking || intake?.running)}>
            Bring in more
          </Button>
          {card.looked_at && (
            <Button
              look="next"
              command="acceptAll"
              disabled={clear.length === 0 || change.isPending}
              onClick={() => accept(withoutDoubt)}
            >
              {clear.length > 0 ? `Accept all ${clear.length} without doubt` : "Accept all without doubt"}
            </Button>
          )}
        </div>
      </div>
      <div className="space-y-2 px-5 empty:hidden [&:not(:empty)]:pb-2">
        {intake?.running && (
          <Work
            title={
              intake.waiting
                ? "The server does not answer: it goes on as soon as it does"
                : `Bringing in${intake.bytesPerSecond ? `, ${bytes(intake.bytesPerSecond)} a second` : ""}`
            }
            done={intake.done}
            total={intake.files}
            secondsLeft={intake.secondsLeft}
            onStop={() => stopIntake(card.id)}
          />
        )}
        {card.task && looking && (
          <Work
            title={
              card.task.state === "waiting"
                ? "Waits for the worker"
                : card.task.phase === "fetch"
                  ? "Fetching the folder"
                  : "Looking at every file"
            }
            done={card.task.done}
            total={card.task.total}
            secondsLeft={card.task.seconds_left}
            onStop={() => card.task && stop.mutate(card.task.id)}
          />
        )}
        {card.task?.state === "failed" && (
          <Notice kind="fault" title="The card could not be looked at.">
            {card.task.message}
          </Notice>
        )}
        {intake && !intake.running && intake.held + intake.others > 0 && (
          <p role="status" className="text-ink2">
            {intake.held > 0 && `${plural(intake.held, "file was", "files were")} in already. `}
            {intake.others > 0 &&
              `${plural(intake.others, "file is", "files are")} no pictures by name, and stayed where they are.`}
          </p>
        )}
        <Failures of={[change.error, stop.error]} />
        {intake && <Rejected files={intake.rejected} />}
        {!intake && (
          <Rejected files={tape.refused.map((one) => ({ name: one.name, reason: one.refused ?? "" }))} />
        )}
        {card.new_files > 0 && !looking && !intake?.running && (
          <div className="flex items-center gap-3">
            <span>{plural(card.new_files, "file was", "files were")} brought in and not looked at yet.</span>
            <Button look="next" onClick={() => act(() => api.lookAtCard(card.id))}>
              Look at them
            </Button>
          </div>
        )}
      </div>
      {card.files.length === 0 && !intake?.running && !looking && (
        <Placeholder>Nothing was brought in yet.</Placeholder>
      )}
      {tape.files.length > 0 && <Sorting {...{ card, tape, act, accept }} busy={change.isPending} />}
      <Panel title="Bring in more" open={bringing} onClose={() => setBringing(false)} size="wide">
        <BringIn
          onFiles={(placed) => {
            setBringing(false);
            bring(card.id, placed);
          }}
          onFolder={(folder) => {
            setBringing(false);
            act(() => api.fetchFolder(card.id, folder));
          }}
        />
      </Panel>
    </div>
  );
}

interface SortingProps {
  card: Card;
  tape: TapeOf;
  busy: boolean;
  act: (order: Order) => void;
  accept: (which: (now: Card) => CardStack[]) => void;
}

function Sorting({ card, tape, busy, act, accept }: SortingProps) {
  const [anchor, setAnchor] = useState<number>();
  const [close, setClose] = useState(false);
  const [blinking, setBlinking] = useState(false);
  const doubts = doubtful(tape, card);
  // What is in doubt is put in front when the card is opened; after that it stays where a person is.
  const [asked, setCursor] = useState(doubts[0] ?? tape.files[0]?.id);
  const cursor = asked !== undefined && tape.place.has(asked) ? asked : tape.files[0]?.id;
  const at = cursor === undefined ? 0 : (tape.place.get(cursor) ?? 0);
  const file = tape.files[at];
  const stack = cursor === undefined ? undefined : tape.stackOf.get(cursor);
  const go = (to: number | undefined) => {
    setAnchor(undefined);
    if (to !== undefined) setCursor(to);
  };
  const chosen = useMemo(() => {
    const from = anchor === undefined ? at : (tape.place.get(anchor) ?? at);
    const ids = tape.files.slice(Math.min(from, at), Math.max(from, at) + 1).map((one) => one.id);
    return new Set(ids);
  }, [anchor, at, tape]);
  const leaveOut = () => {
    const ids = [...chosen];
    act((now) => {
      const { reasons, separators } = tapeOf(now);
      const all = ids.every((id) => reasons.has(id) || separators.has(id));
      return all ? api.takeFilesBack(card.id, ids) : api.leaveFilesOut(card.id, ids);
    });
  };
  const tear = () => {
    if (cursor === undefined || at === 0) return;
    act((now) => {
      const there = now.borders.some((one) => one.before === cursor);
      return api.setBorders(card.id, there ? [] : [cursor], there ? [cursor] : []);
    });
  };
  const next = () => {
    const after = doubts.find((id) => (tape.place.get(id) ?? 0) > at) ?? doubts[0];
    go(after);
  };
  const fewer = stack ? thinnable(stack) : null;
  const acceptable = stack && !stack.accepted && stack.goes;
  const acceptThis = () =>
    accept((now) => now.stacks.filter((one) => one.first === stack?.first && !one.accepted && one.goes));
  useCommands({
    nextFile: () => go(tape.files[at + 1]?.id),
    fileBefore: () => go(tape.files[at - 1]?.id),
    nextDoubt: next,
    tear,
    leaveOut,
    closer: () => setClose(!close),
    blink: {
      press: () => {
        setClose(true);
        setBlinking(true);
      },
      release: () => setBlinking(false),
    },
    accept: acceptThis,
  });
  return (
    <>
      <Ladders card={card} chosen={stack} onChoose={(one) => go(one.first)} />
      <p
        aria-live="polite"
        className="flex min-h-[57px] flex-wrap content-start items-baseline gap-x-4 border-rule border-b bg-card px-5 py-1.5"
      >
        {file && <Told tape={tape} id={file.id} />}
      </p>
      <div
        className={`grid min-h-0 flex-1 ${close ? "grid-cols-[minmax(0,1fr)_minmax(0,1fr)]" : "grid-cols-1"}`}
      >
        <Tape
          {...{ tape, cursor, chosen }}
          onChoose={(id, far) => {
            if (far && cursor !== undefined) setAnchor(anchor ?? cursor);
            else setAnchor(undefined);
            setCursor(id);
          }}
          onMove={(from, to) => act(() => api.setBorders(card.id, [to], [from]))}
        />
        {close && file && (
          <Closer
            file={file}
            before={tape.files[at - 1]}
            blinking={blinking}
            flags={stack?.flags.filter((flag) => flag.file === file.id) ?? []}
          />
        )}
      </div>
      <footer className="flex flex-wrap items-center gap-x-4 gap-y-1 border-ink border-t bg-card px-5 py-2">
        <KeyRow />
        <div className="ml-auto flex min-w-0 items-center gap-3">
          {stack && !stack.accepted && fewer && (
            <Button
              look="quiet"
              disabled={busy}
              title={`What lies between two frames is blurred by ${fewer.worst_blur_px.toFixed(1)} px at worst then`}
              onClick={() => act(() => api.leaveFilesOut(card.id, between(stack), FEWER))}
            >
              Keep every {ordinal(fewer.every)}
            </Button>
          )}
          {stack && !stack.accepted && (
            <GoesTo
              key={stack.first}
              stack={stack}
              onChoose={(id) => act(() => api.setGoes(card.id, stack.first, id))}
            />
          )}
          {stack?.accepted ? (
            <Link
              className="min-h-11 content-center underline underline-offset-3"
              to="/stacks/$stackId/$stage"
              params={{ stackId: String(stack.accepted.stack_id), stage: "merge" }}
              search={{ take: stack.accepted.take_id }}
            >
              Open {stack.accepted.label}
            </Link>
          ) : (
            <Button look="next" command="accept" disabled={!acceptable || busy} onClick={acceptThis}>
              Accept this stack
            </Button>
          )}
        </div>
      </footer>
    </>
  );
}

/** The frames between those that would do, of what is kept of a stack. */
function between(stack: CardStack): number[] {
  const left = new Set(stack.left_out.map((one) => one.file));
  const every = stack.thin?.every ?? 1;
  return stack.files.filter((file) => !left.has(file)).filter((_, at) => at % every > 0);
}

/** What is known of a file, in a line. */
function Told({ tape, id }: { tape: TapeOf; id: number }) {
  const file = tape.files[tape.place.get(id) ?? 0];
  const stack = tape.stackOf.get(id);
  if (!file) return null;
  const flags = stack?.flags.filter((flag) => flag.file === id) ?? [];
  const reason = tape.reasons.get(id);
  const doubts = stack?.accepted ? [] : (stack?.doubts.filter((doubt) => doubt.file === id) ?? []);
  const border = tape.borders.get(id);
  return (
    <>
      <strong>{file.name}</strong>
      <span className="text-ink2">
        {[
          clock(file.captured_at),
          file.noted,
          `${file.width_px} × ${file.height_px} px`,
          stack && `frame ${stack.files.indexOf(id) + 1} of ${stack.files.length}`,
          tape.separators.has(id) && "separates two stacks",
          file.known_as && `known already: ${file.known_as}`,
        ]
          .filter(Boolean)
          .join(" · ")}
      </span>
      {border && <span className="text-mark">a stack begins here: {border.reason}</span>}
      {reason && <span className="text-fault">left out: {reason}</span>}
      {flags
        .filter((flag) => flag.reason !== reason)
        .map((flag) => (
          <span key={flag.kind} className="text-fault">
            {flagWords(flag)}: {flag.reason}
          </span>
        ))}
      {doubts
        .filter((doubt) => !flags.some((flag) => flag.reason === doubt.words))
        .map((doubt) => (
          <span key={doubt.words} className="text-fault">
            {doubt.words}
          </span>
        ))}
    </>
  );
}

const SHOWN = [
  ["fileBefore", ""],
  ["nextFile", "file"],
  ["nextDoubt", "next doubt"],
  ["tear", "border here"],
  ["leaveOut", "leave out"],
  ["closer", "loupe"],
  ["blink", "blink"],
  ["undo", "undo"],
] as const;

function KeyRow() {
  const keys = useKeys();
  return (
    <ul aria-label="Keys" className="flex flex-wrap gap-x-3 text-[0.875rem]">
      {SHOWN.map(([id, words]) => (
        <li key={id}>
          <kbd className="rounded-s border border-ink2 px-1">{keyName(keys[id])}</kbd> {words}
        </li>
      ))}
    </ul>
  );
}
