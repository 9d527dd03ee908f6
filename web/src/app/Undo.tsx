import { type UseQueryResult, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useEffect, useRef, useState } from "react";
import { api } from "../client/api";
import { refresh } from "../client/live";
import { moment } from "../lib/numbers";
import { Button } from "../ui/Button";
import { useCommands, useHint } from "../ui/commands";
import { Flyout } from "../ui/Flyout";
import { Notice } from "../ui/Notice";

/** What was done, on whichever page, the last thing first; and undoing it. */
export function Undo() {
  const [open, setOpen] = useState(false);
  const hint = useHint();
  // Looked up beforehand: then it opens on the button that undoes.
  const deeds = useQuery({ queryKey: ["deeds"], queryFn: api.deeds });
  useCommands({ undo: () => setOpen(true) });
  return (
    <Flyout
      label="Undo"
      trigger="Undo"
      triggerClass="min-h-11 px-1 hover:text-ink hover:underline"
      hint={hint("undo")}
      align="end"
      className="w-[380px] text-[0.9375rem]"
      open={open}
      onOpenChange={setOpen}
    >
      <Deeds deeds={deeds} onDone={() => setOpen(false)} />
    </Flyout>
  );
}

interface Props {
  deeds: UseQueryResult<Awaited<ReturnType<typeof api.deeds>>>;
  onDone: () => void;
}

function Deeds({ deeds, onDone }: Props) {
  const queries = useQueryClient();
  const undo = useMutation({
    // One after the other, the last one first: each as it was left.
    mutationFn: async (ids: number[]) => {
      for (const id of ids) await api.undo(id);
      return ids.length;
    },
    onSettled: () => refresh(queries),
  });
  const [last, ...before] = deeds.data ?? [];
  // While they are looked up anew, what is shown may not be the last any more.
  const wait = undo.isPending || deeds.isFetching;
  const undoes = useRef<HTMLButtonElement>(null);
  const [ready, setReady] = useState(false);
  // Opened while they were looked up anew, the button could not take the focus yet.
  useEffect(() => {
    if (ready || wait || !last) return;
    undoes.current?.focus();
    setReady(true);
  }, [ready, wait, last]);
  return (
    <>
      {deeds.isPending && <p className="text-ink2">Looking up what was done last …</p>}
      {deeds.isError && <Notice kind="fault">{deeds.error.message}</Notice>}
      {undo.isSuccess && <p role="status">{undo.data === 1 ? "Undone." : `${undo.data} undone.`}</p>}
      {deeds.isSuccess && !last && <p className="text-ink2">There is nothing to undo.</p>}
      {last && (
        <>
          <p>
            Last done, {moment(last.at)}: <strong>{last.words}</strong>.
          </p>
          {undo.isError && <Notice kind="fault">{undo.error.message}</Notice>}
          {/* Each button means one thing for as long as it is there: a list that grew under a click undoes nothing else. */}
          <Button
            key={last.id}
            ref={undoes}
            className="mt-2"
            disabled={wait}
            onClick={() => undo.mutate([last.id])}
          >
            Undo this
          </Button>
        </>
      )}
      {last && before.length > 0 && (
        <section aria-label="Done before that" className="mt-3 border-rule border-t pt-2">
          <h3 className="text-[0.9375rem]">Before that</h3>
          <ol className="max-h-64 overflow-y-auto">
            {before.map((one, i) => (
              <li
                key={`${last.id} ${one.id}`}
                className="flex items-baseline gap-3 border-rule border-b py-1"
              >
                <span className="min-w-0 flex-1">
                  <span className="text-ink2">{moment(one.at)}:</span> {one.words}
                </span>
                <button
                  type="button"
                  disabled={wait}
                  className="min-h-8 shrink-0 underline underline-offset-3 disabled:opacity-50"
                  aria-label={`Undo the last ${i + 2}, back to before: ${one.words}`}
                  onClick={() => undo.mutate([last.id, ...before.slice(0, i + 1).map(({ id }) => id)])}
                >
                  Undo the last {i + 2}
                </button>
              </li>
            ))}
          </ol>
        </section>
      )}
      <p className="mt-2">
        <Link
          to="/discarded"
          onClick={onDone}
          className="inline-flex min-h-9 items-center underline underline-offset-3"
        >
          All that was discarded
        </Link>
      </p>
    </>
  );
}
