import { useQuery } from "@tanstack/react-query";
import { Button } from "./Button";
import { Notice } from "./Notice";

interface Props {
  /** What was about to be saved. */
  mine: unknown;
  /** Fetches what is there now, in the same shape. */
  fetchTheirs: () => Promise<unknown>;
  onTheirs: () => void;
  onMine: () => void;
}

/** Somebody else was faster: both are shown where they differ, and one is chosen. */
export function Stale({ mine, fetchTheirs, onTheirs, onMine }: Props) {
  const theirs = useQuery({ queryKey: ["stale", mine], queryFn: fetchTheirs, staleTime: 0, gcTime: 0 });
  const differing = theirs.data === undefined ? [] : differences(flat(mine), flat(theirs.data));
  return (
    <Notice kind="fault" title="This was changed meanwhile.">
      In another window, or by somebody else. Nothing was saved yet: choose.
      <table className="my-2 w-full">
        <thead>
          <tr className="text-left">
            <th>
              <span className="sr-only">Entry</span>
            </th>
            <th>Yours</th>
            <th>Theirs</th>
          </tr>
        </thead>
        <tbody>
          {differing.map(([name, own, other]) => (
            <tr key={name} className="border-rule border-t">
              <th scope="row" className="pr-2 text-left font-normal">
                {name}
              </th>
              <td className="pr-2">{own}</td>
              <td>{other}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {theirs.isError && <p>{theirs.error.message}</p>}
      <div className="flex flex-wrap gap-2">
        <Button onClick={onMine}>Save yours over it</Button>
        <Button onClick={onTheirs}>Take theirs</Button>
      </div>
    </Notice>
  );
}

/** An entry as names and words; what is not set is left out. */
function flat(value: unknown, prefix = ""): Map<string, string> {
  const found = new Map<string, string>();
  for (const [key, one] of Object.entries((value ?? {}) as Record<string, unknown>)) {
    const name = prefix ? `${prefix}, ${key}` : key;
    if (one === null || one === undefined || one === "") continue;
    if (typeof one === "object") for (const pair of flat(one, name)) found.set(...pair);
    else found.set(inWords(name), String(one));
  }
  return found;
}

function differences(mine: Map<string, string>, theirs: Map<string, string>) {
  const names = new Set([...mine.keys(), ...theirs.keys()]);
  return [...names]
    .map((name) => [name, mine.get(name) ?? "not set", theirs.get(name) ?? "not set"] as const)
    .filter(([, own, other]) => own !== other);
}

const WORDS: Readonly<Record<string, string>> = {
  near: "nearest point",
  far: "farthest point",
  step: "spacing",
  budget: "time there is",
  overlap: "overlap",
  na: "numerical aperture",
  rig: "rig",
};
const UNITS: Readonly<Record<string, string>> = {
  um: "µm",
  mm: "mm",
  nm: "nm",
  px: "px",
  s: "s",
  id: "number",
};

/** An entry as it is called on the page: `plan, near_um` is the nearest point in µm. */
function inWords(name: string): string {
  const parts = name.split(", ").at(-1)?.split("_") ?? [];
  const unit = parts.length > 1 ? UNITS[parts.at(-1) ?? ""] : undefined;
  const words = (unit ? parts.slice(0, -1) : parts).join(" ");
  return `${WORDS[words] ?? words}${unit ? `, ${unit}` : ""}`;
}
