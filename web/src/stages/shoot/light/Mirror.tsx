import { useState } from "react";
import { api, type Bench } from "../../../client/api";
import { moment } from "../../../lib/numbers";
import { Button } from "../../../ui/Button";
import { Choice } from "../../../ui/Choice";
import { Check, NumberField, TextField } from "../../../ui/Field";
import { Range } from "../../../ui/Range";
import type { LitPlace } from "../live";
import { MIDDLE, RADIUS } from "../views";
import { Row, stops } from "./Row";
import { useTone } from "./useTone";

interface Props {
  bench: Bench;
  lit: LitPlace | null;
  loupe: { x: number; y: number } | null;
  locked: boolean;
  act: (order: () => Promise<unknown>) => void;
}

/** Faces that are seen only where they mirror: a place is followed while lamp, specimen or camera is turned. */
export function Mirror({ bench, lit, loupe, locked, act }: Props) {
  const { place, best, settings } = bench;
  const [tone, setTone] = useState(false);
  useTone(tone && place && lit ? lit.stops : null);
  if (!bench.live)
    return (
      <section aria-label="Light that reflects">
        <h2 className="text-[1rem]">Light that reflects</h2>
        <p className="text-[0.9375rem] text-ink2">
          A place is followed in the live view, and this camera shows none.
        </p>
      </section>
    );
  const at = lit?.best ?? best;
  const move = (to: { x?: number | null; y?: number | null }) => {
    if (!place || to.x === null || to.y === null) return;
    act(() => api.markPlace({ ...place, ...(to as { x?: number; y?: number }) }));
  };
  return (
    <section aria-label="Light that reflects">
      <h2 className="text-[1rem]">Light that reflects</h2>
      {settings.camera === "simulated" && (
        <>
          <Choice
            beside
            label="Lit by"
            value={settings.lit_by}
            options={[
              { value: "heads", label: "flash heads" },
              { value: "lamp", label: "a lamp on an arm" },
            ]}
            onChange={(value) => act(() => api.changeBench({ lit_by: value as "heads" | "lamp" }))}
          />
          {settings.lit_by === "lamp" && (
            <Range
              compact
              label="Lamp at"
              value={settings.lamp_deg}
              least={-80}
              most={80}
              step={2}
              told={`${settings.lamp_deg}°`}
              onChange={(lamp_deg) => act(() => api.changeBench({ lamp_deg }))}
            />
          )}
        </>
      )}
      {!place && (
        <p className="py-1 text-[0.9375rem] text-ink2">
          Put the loupe on a face, follow it, and turn lamp, specimen or camera: the brightest angle is kept.
        </p>
      )}
      {place && (
        <>
          <NumberField
            label="Place, from the left"
            unit="%"
            value={Math.round(1000 * place.x) / 10}
            onChange={(x) => move({ x: x === null ? null : Math.min(Math.max(x, 0), 100) / 100 })}
          />
          <NumberField
            label="Place, from the top"
            unit="%"
            value={Math.round(1000 * place.y) / 10}
            onChange={(y) => move({ y: y === null ? null : Math.min(Math.max(y, 0), 100) / 100 })}
          />
          <Check label="A tone that rises with its brightness" checked={tone} onChange={setTone} />
        </>
      )}
      {place && at && <Best key={at.number} best={at} locked={locked} act={act} />}
      <Button
        command="followPlace"
        className="mt-1 w-full"
        disabled={locked}
        onClick={() =>
          act(() => (place ? api.unmarkPlace() : api.markPlace({ ...(loupe ?? MIDDLE), radius: RADIUS })))
        }
      >
        {place ? "Follow it no more" : loupe ? "Follow the place under the loupe" : "Follow the middle"}
      </Button>
    </section>
  );
}

/** The brightest so far: when, at which angle if that is known, and how it looked. */
function Best({
  best,
  locked,
  act,
}: {
  best: NonNullable<Bench["best"]>;
  locked: boolean;
  act: Props["act"];
}) {
  const [note, setNote] = useState(best.note);
  return (
    <>
      <Row label="Brightest so far" fault={best.clipped}>
        {best.clipped ? "washed out" : `${stops(best.stops)} below white`}
      </Row>
      {best.clipped && (
        <p className="py-1 text-[0.9375rem] text-fault">
          It may be brighter beside this angle: darken the live view, follow the place anew, and turn again.
        </p>
      )}
      <Row label="There the lamp was at">
        {best.lamp_deg === null ? "not known to the bench" : `${best.lamp_deg}°`}
      </Row>
      <figure className="my-1">
        <img
          alt="Live view at the brightest"
          src={`/api/bench/light/best.jpg?n=${best.number}`}
          className="block w-full"
        />
        <figcaption className="text-[0.9375rem] text-ink2">{moment(best.at)}</figcaption>
      </figure>
      <TextField label="Where things stood then" value={note} onChange={setNote} />
      <Button
        className="w-full"
        disabled={locked || note.trim() === best.note}
        onClick={() => act(() => api.noteBest(note.trim()))}
      >
        {best.note && note.trim() === best.note ? "Noted" : "Note it"}
      </Button>
    </>
  );
}
