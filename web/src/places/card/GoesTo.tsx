import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useDeferredValue, useState } from "react";
import { api, type CardStack } from "../../client/api";
import { plural } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Flyout } from "../../ui/Flyout";

interface Props {
  stack: CardStack;
  onChoose: (stackId: number | null) => void;
}

const MOST = 12;

/** Which ladder of the cabinet a stack of a card is a take of. */
export function GoesTo({ stack, onChoose }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <Flyout
      label="Which ladder it is a take of"
      trigger={
        <>
          <span className="text-ink2">Goes to </span>
          {stack.goes ? stack.goes.label : "choose a ladder"}
          {stack.goes?.why && <span className="text-ink2"> (proposed)</span>}
        </>
      }
      triggerClass="min-h-11 min-w-0 max-w-[380px] truncate text-left underline underline-offset-3"
      align="end"
      className="max-h-[70vh] w-[460px] overflow-y-auto text-[0.9375rem]"
      open={open}
      onOpenChange={setOpen}
    >
      <Ladders
        stack={stack}
        onChoose={(id) => {
          setOpen(false);
          onChoose(id);
        }}
      />
    </Flyout>
  );
}

function Ladders({ stack, onChoose }: Props) {
  const [words, setWords] = useState("");
  const asked = useDeferredValue(words);
  const found = useQuery({
    queryKey: ["cabinet", asked, ""],
    queryFn: () => api.cabinet(asked, ""),
    placeholderData: keepPreviousData,
  });
  const ladders = (found.data?.rows ?? []).flatMap(({ specimen, stacks }) =>
    stacks
      .filter((one) => one.tile !== 0)
      .map((one) => ({
        ...one,
        label: `${specimen.catalogue_number} ${specimen.name}, stack ${one.number}${one.tile ? `, tile ${one.tile}` : ""}`,
      })),
  );
  return (
    <>
      {stack.goes?.why && (
        <p className="mb-2">
          Proposed: {stack.goes.label}. Why: {stack.goes.why}.
        </p>
      )}
      <input
        type="search"
        aria-label="Find a ladder by specimen, label or rig"
        placeholder="Find a specimen, label or rig"
        className="h-11 w-full rounded-s border border-ink bg-card px-3 placeholder:text-ink3"
        value={words}
        onChange={(event) => setWords(event.target.value)}
      />
      {found.isError && <p className="text-fault">{found.error.message}</p>}
      <ul className="my-2">
        {ladders.slice(0, MOST).map((one) => (
          <li key={one.id}>
            <button
              type="button"
              className="w-full rounded-s px-2 py-1.5 text-left hover:bg-amber-wash"
              onClick={() => onChoose(one.id)}
            >
              <strong>{one.label}</strong>
              <span className="block text-[0.875rem] text-ink2">
                {one.rig_name}, {one.takes.length > 0 ? plural(one.takes.length, "take") : "not shot yet"}
              </span>
            </button>
          </li>
        ))}
      </ul>
      {ladders.length > MOST && (
        <p className="text-ink2">{ladders.length - MOST} more: find them by a word.</p>
      )}
      {found.isSuccess && ladders.length === 0 && <p className="text-ink2">No ladder matches.</p>}
      <p className="mt-2 text-ink2">
        None of them?{" "}
        <Link to="/" className="underline underline-offset-3">
          Plan one in the cabinet
        </Link>
        , then come back: a take needs to know its rig.
      </p>
      {stack.goes && !stack.goes.why && (
        <Button look="quiet" onClick={() => onChoose(null)}>
          It goes nowhere yet
        </Button>
      )}
    </>
  );
}
