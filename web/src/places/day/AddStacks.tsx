import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { api } from "../../client/api";
import { plural } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Notice } from "../../ui/Notice";

interface Props {
  listed: ReadonlySet<number>;
  onAdd: (stackIds: number[]) => void;
  saving: boolean;
}

const MOST = 60;

/** Planned stacks to be put on the list, those that were never shot first. */
export function AddStacks({ listed, onAdd, saving }: Props) {
  const [words, setWords] = useState("");
  const [chosen, setChosen] = useState<number[]>([]);
  const asked = useDeferredValue(words);
  const found = useQuery({
    queryKey: ["cabinet", asked, ""],
    queryFn: () => api.cabinet(asked, ""),
    placeholderData: keepPreviousData,
  });
  const all = (found.data?.rows ?? [])
    .flatMap(({ specimen, stacks }) => stacks.map((stack) => ({ specimen, stack })))
    .filter(({ stack }) => !listed.has(stack.id) && stack.tile !== 0)
    .sort((one, other) => Math.sign(one.stack.takes.length) - Math.sign(other.stack.takes.length));
  const room = MOST - listed.size - chosen.length;
  return (
    <form
      className="flex flex-col"
      onSubmit={(event) => {
        event.preventDefault();
        onAdd(chosen);
      }}
    >
      <input
        type="search"
        aria-label="Find what to shoot"
        placeholder="Find what to shoot"
        className="h-11 rounded-s border border-ink bg-card px-3 placeholder:text-ink3"
        value={words}
        onChange={(event) => setWords(event.target.value)}
      />
      {found.isError && <Notice kind="fault">{found.error.message}</Notice>}
      {found.isSuccess && all.length === 0 && (
        <p className="py-4 text-ink2">
          {words
            ? "Nothing planned matches."
            : "Nothing else is planned: plan a ladder for a specimen first, in the cabinet."}
        </p>
      )}
      <ul className="my-2">
        {all.map(({ specimen, stack }) => (
          <li key={stack.id} className="border-rule border-b">
            <label className="flex min-h-11 items-center gap-3 py-1">
              <input
                type="checkbox"
                className="size-6 accent-[var(--amber)]"
                checked={chosen.includes(stack.id)}
                disabled={room <= 0 && !chosen.includes(stack.id)}
                onChange={({ target }) =>
                  setChosen(target.checked ? [...chosen, stack.id] : chosen.filter((one) => one !== stack.id))
                }
              />
              <span className="min-w-0">
                <strong>
                  {specimen.catalogue_number} {specimen.name}
                </strong>
                {stack.number > 1 && `, stack ${stack.number}`}
                <span className="block text-[0.875rem] text-ink2">
                  {stack.rig_name},{" "}
                  {stack.takes.length
                    ? `shot already: ${plural(stack.takes.length, "take")}`
                    : "not shot yet"}
                </span>
              </span>
            </label>
          </li>
        ))}
      </ul>
      <div className="sticky bottom-0 bg-sheet py-2">
        <Button look="next" type="submit" disabled={chosen.length === 0 || saving}>
          {chosen.length === 0 ? "Choose what to shoot" : `Put ${plural(chosen.length, "stack")} on the list`}
        </Button>
      </div>
    </form>
  );
}
