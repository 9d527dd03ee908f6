import { useQuery } from "@tanstack/react-query";
import { api, type Plan, type RigDefinition, type Schemas, type Specimen } from "../../client/api";
import { fNumber, percent, plural, um } from "../../lib/numbers";
import { Notice } from "../../ui/Notice";

interface Props {
  rig: RigDefinition;
  plan: Plan;
  specimen: Specimen;
}

type Entry = Schemas["LookEntry"];
interface Shown {
  title: string;
  entry: Partial<Entry>;
}

const OVERLAPS = [0, 0.3, 0.6];
const STOP = Math.SQRT2;

/** What a plan would give, at its worst place and at 1:1, beside other overlaps, apertures, and one frame alone. */
export function Look({ rig, plan, specimen }: Props) {
  const iris = irisOf(rig);
  const stops = iris === null ? [] : [1, 2, 4].map((one) => Math.round(iris * STOP ** one * 10) / 10);
  const rows: ReadonlyArray<{ label: string; looks: Shown[] }> = [
    {
      label: "This plan, and other overlaps",
      looks: [
        { title: "As planned", entry: {} },
        ...OVERLAPS.map((overlap) => ({ title: `Overlap ${percent(overlap)}`, entry: { overlap } })),
      ],
    },
    {
      label: "Closed further, and one frame alone",
      looks: [
        ...stops.slice(0, 2).map((marked_f_number) => ({
          title: `Marked ${fNumber(marked_f_number)}`,
          entry: { marked_f_number },
        })),
        {
          title: stops[2] ? `One frame at ${fNumber(stops[2])}` : "One frame alone",
          entry: { single: true, marked_f_number: stops[2] ?? null },
        },
      ],
    },
  ];
  return (
    <div>
      <p className="text-ink2">
        <strong className="text-ink">Simulated.</strong> A specimen of this kind from the practice world
        through this rig, merged, one pixel of the sensor to one of the screen, halfway between two rungs: no
        place of the stack is softer. One frame alone is shown as it looks at the ladder's end.
      </p>
      {rows.map((row) => (
        <section key={row.label} aria-label={row.label} className="mt-3">
          <h3 className="head text-[1rem]">{row.label}</h3>
          <ul className="mt-1 flex flex-wrap gap-3">
            {row.looks.map((one) => (
              <Tile
                key={one.title}
                title={one.title}
                entry={{
                  rig,
                  plan,
                  kind: specimen.kind,
                  name: specimen.name,
                  overlap: null,
                  marked_f_number: null,
                  single: false,
                  ...one.entry,
                }}
              />
            ))}
          </ul>
        </section>
      ))}
    </div>
  );
}

function Tile({ title, entry }: { title: string; entry: Entry }) {
  const found = useQuery({
    queryKey: ["look", entry],
    queryFn: () => api.look(entry),
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  const seen = found.data;
  return (
    <li className="w-48">
      <div className="grid size-48 place-items-center bg-mat text-center text-[0.875rem] text-[#dfe4df]">
        {seen ? (
          <img
            width={seen.side_px}
            height={seen.side_px}
            alt={`Simulated: ${title}`}
            src={`data:image/jpeg;base64,${seen.jpeg}`}
            className="[image-rendering:pixelated]"
          />
        ) : (
          !found.isError && "Shooting and merging it …"
        )}
      </div>
      {found.isError && <Notice kind="fault">{found.error.message}</Notice>}
      <p className="head text-[0.9375rem]">{title}</p>
      {seen && (
        <p className="text-[0.875rem] text-ink2">
          {seen.step_um === null ? `${um(seen.off_um)} off focus` : `step ${um(seen.step_um)}`}, effective{" "}
          {fNumber(seen.effective_f_number)}, {plural(seen.frames, "frame")} here; {seen.blur_db.toFixed(0)}{" "}
          dB of what is there
        </p>
      )}
    </li>
  );
}

/** What is set on the lens, or on the iris of the tube lens; null where there is nothing to set. */
function irisOf({ train }: RigDefinition): number | null {
  if (train.kind === "lens") return train.f_number;
  if (train.kind === "infinity_objective") return train.tube_f_number ?? null;
  return null;
}
