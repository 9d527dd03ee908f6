import type { Recorded } from "../../client/api";
import { moment, plural } from "../../lib/numbers";

/** What happened to the stack, as a line with a knot for each entry; and whether its chain holds. */
export function History({ entries, broken }: { entries: Recorded["done"]; broken: string[] }) {
  return (
    <section aria-label="History" className="mt-5">
      <h2 className="mb-1 text-[1rem]">History, {plural(entries.length, "entry", "entries")}</h2>
      <p className="mb-2 text-[0.875rem] text-ink2">
        {broken.length === 0
          ? "Each entry carries the checksum of the one before: none was altered."
          : `This history does not hold: ${broken.join("; ")}.`}
      </p>
      <ol className="border-ink border-l-2 pl-4">
        {entries.map((one) => (
          <li key={one.number} className="relative pb-2.5">
            <span
              aria-hidden="true"
              className="-left-[22px] absolute top-[0.45em] h-2.5 w-2.5 rounded-full border-2 border-ink bg-sheet"
            />
            <span className="text-[0.875rem] text-ink2">
              {moment(one.at)}
              {one.by && `, ${one.by}`}, version {one.version}
            </span>
            <span className="block">
              <strong>{one.did}</strong>: {one.words}
            </span>
          </li>
        ))}
      </ol>
    </section>
  );
}
