import { type UseQueryResult, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api } from "../client/api";
import { refresh } from "../client/live";
import { moment } from "../lib/numbers";
import { Button } from "../ui/Button";
import { useCommands, useHint } from "../ui/commands";
import { Flyout } from "../ui/Flyout";
import { Notice } from "../ui/Notice";

/** What was done last, on whichever page, and undoing it. */
export function Undo() {
  const [open, setOpen] = useState(false);
  const hint = useHint();
  // Looked up beforehand: then it opens on the button that undoes.
  const last = useQuery({ queryKey: ["deeds"], queryFn: api.lastDeed });
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
      <LastDeed last={last} onDone={() => setOpen(false)} />
    </Flyout>
  );
}

interface Props {
  last: UseQueryResult<Awaited<ReturnType<typeof api.lastDeed>>>;
  onDone: () => void;
}

function LastDeed({ last, onDone }: Props) {
  const queries = useQueryClient();
  const undo = useMutation({
    mutationFn: (id: number) => api.undo(id),
    onSettled: () => refresh(queries),
  });
  return (
    <>
      {last.isPending && <p className="text-ink2">Looking up what was done last …</p>}
      {last.isError && <Notice kind="fault">{last.error.message}</Notice>}
      {undo.isSuccess && <p role="status">Undone.</p>}
      {last.data === null && <p className="text-ink2">There is nothing to undo.</p>}
      {last.data && (
        <>
          <p>
            Last done, {moment(last.data.at)}: <strong>{last.data.words}</strong>.
          </p>
          {undo.isError && <Notice kind="fault">{undo.error.message}</Notice>}
          <Button
            className="mt-2"
            // While it is looked up anew, what is shown may not be the last any more.
            disabled={undo.isPending || last.isFetching}
            onClick={() => last.data && undo.mutate(last.data.id)}
          >
            Undo this
          </Button>
        </>
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
