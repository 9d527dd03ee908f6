import type { Measuring } from "../../client/api";
import { trimmed } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/Field";
import { Failures, Notice } from "../../ui/Notice";
import { sentence, stated } from "./kinds";
import { REFERENCE_ORDER, REFERENCES, type useReference } from "./reference";

const FAR_OFF = 0.05;

type Props = { reference: ReturnType<typeof useReference> };

/** What may give the picture its scale, to choose one. */
export function ReferenceList({ reference }: Props) {
  return (
    <fieldset>
      <legend className="mt-2 text-[0.9375rem] text-ink2">From something in this picture</legend>
      {REFERENCE_ORDER.map((one) => (
        <label
          key={one}
          className={`flex min-h-8 cursor-pointer items-center gap-2 border-l-4 pl-2 has-focus-visible:outline-2 ${one === reference.kind ? "border-amber bg-amber-wash font-bold" : "border-transparent"}`}
        >
          <input
            type="radio"
            name="reference-kind"
            className="sr-only"
            checked={one === reference.kind}
            onChange={() => reference.begin(one)}
          />
          {REFERENCES[one].label}
        </label>
      ))}
      <p className="mt-2 text-[0.875rem] text-ink2">
        The scale holds for this merge, instead of its stack's. What lies deeper shows smaller: the depth map
        takes that off.
      </p>
    </fieldset>
  );
}

/** The size of what is picked, and the scale that it gives. */
export function ReferencePanel({ reference, measuring }: Props & { measuring: Measuring }) {
  const { kind, size, tolerance, found, use, drop } = reference;
  const told = found?.data;
  return (
    <section
      aria-label="Scale from this picture"
      className="max-h-[70%] shrink-0 space-y-2 overflow-y-auto border-ink border-b px-4 py-2"
    >
      <div className="flex flex-wrap items-baseline justify-between gap-x-3">
        <h2 className="text-[1.0625rem]">{REFERENCES[kind].label}</h2>
        <output aria-label="Scale" className="whitespace-nowrap text-[1.125rem] font-bold">
          {told && !found.error ? stated(told.um_per_px, 2 * told.u_um_per_px, "µm a px") : "–"}
        </output>
      </div>
      <div>
        <NumberField
          label={REFERENCES[kind].size}
          unit="µm"
          value={size}
          onChange={reference.setSize}
          hint="As its maker or a calibrated instrument says."
        />
        <NumberField
          label="How true that is"
          unit="± %"
          optional
          hint="Left empty, ± 0.1 % is assumed, and said to be."
          value={tolerance}
          onChange={reference.setTolerance}
        />
      </div>
      {found?.error && <Notice kind="fault">{sentence(found.error.message)}</Notice>}
      {told && !found?.error && (
        <ul className="list-disc pl-5 text-[0.875rem] text-ink2">
          <li>
            Found: {told.found_px.toFixed(1)} px in the picture
            {told.depth_um !== null && `, ${trimmed(told.depth_um.toFixed(1))} µm deep`}.
          </li>
          <li>
            {told.deviation >= 0 ? "+" : "−"}
            {Math.abs(100 * told.deviation).toFixed(2)} % from what the stack was planned with.
          </li>
          {told.notes.map((one) => (
            <li key={one}>{sentence(one)}</li>
          ))}
        </ul>
      )}
      {told && !found?.error && Math.abs(told.deviation) > FAR_OFF && (
        <Notice kind="hint" title="Far from the stack's scale.">
          Is this the right size, in µm? Frames that were made smaller have another scale, too.
        </Notice>
      )}
      <div className="flex flex-wrap gap-2">
        <Button look="next" disabled={!told || !!found?.error || use.isPending} onClick={() => use.mutate()}>
          Use this scale
        </Button>
        <Button
          look="quiet"
          command="clearPlaces"
          className="px-2"
          disabled={reference.points.length === 0}
          onClick={reference.clear}
        >
          Begin anew
        </Button>
      </div>
      {measuring.reference && (
        <p className="text-[0.9375rem]">
          This merge has its scale from its own picture.{" "}
          <Button look="quiet" className="px-0" disabled={drop.isPending} onClick={() => drop.mutate()}>
            Take the stack's again
          </Button>
        </p>
      )}
      <Failures of={[use.error, drop.error]} />
    </section>
  );
}

/** What is picked of it, and what was found, on the picture. */
export function ReferenceDrawn({ reference }: Props) {
  const { kind, points, found } = reference;
  const rim = found?.error ? null : found?.data?.rim;
  const [first, second] = points;
  const line = {
    fill: "none",
    stroke: "#ffd166",
    strokeWidth: 2,
    vectorEffect: "non-scaling-stroke",
  } as const;
  return (
    <>
      {kind === "two_points" && first && second && (
        <line x1={first[0]} y1={first[1]} x2={second[0]} y2={second[1]} {...line} />
      )}
      {kind === "ruling" && first && second && (
        <rect
          x={Math.min(first[0], second[0])}
          y={Math.min(first[1], second[1])}
          width={Math.abs(first[0] - second[0])}
          height={Math.abs(first[1] - second[1])}
          {...line}
        />
      )}
      {rim && (kind === "coin" || kind === "ball") && (
        <ellipse
          cx={rim.middle[0]}
          cy={rim.middle[1]}
          rx={rim.longest_px}
          ry={rim.shortest_px}
          transform={`rotate(${rim.turn_deg} ${rim.middle[0]} ${rim.middle[1]})`}
          {...line}
        />
      )}
    </>
  );
}
