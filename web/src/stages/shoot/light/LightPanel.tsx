import { api, type Bench } from "../../../client/api";
import { Button } from "../../../ui/Button";
import { Choice } from "../../../ui/Choice";
import type { Moment } from "../live";
import { Diffuser } from "./Diffuser";
import { Heads } from "./Heads";
import { Meter } from "./Meter";
import { engraved, POWERS } from "./power";
import { Row, stops } from "./Row";

interface Props {
  bench: Bench;
  moment: Moment | null;
  locked: boolean;
  working: boolean;
  act: (order: () => Promise<unknown>) => void;
}

/** Minutes after which a test frame is not to be trusted any more. */
const OLD = 30;

/** The flash, a test frame, and the room's light alone. */
export function LightPanel({ bench, moment, locked, working, act }: Props) {
  const { flash, test_frame: test, room } = bench;
  if (!flash)
    return (
      <section aria-label="Light">
        <h2 className="text-[1rem]">Light</h2>
        <p className="text-[0.9375rem] text-ink2">
          No flash is connected here. Set it by hand; the first frame is judged when it arrives.
        </p>
        <Meter flash={null} locked={locked} act={act} />
      </section>
    );
  const nearest = POWERS.reduce((best, one) =>
    Math.abs(Math.log2(one / flash.power)) < Math.abs(Math.log2(best / flash.power)) ? one : best,
  );
  const ready = moment?.ready_in_s ?? flash.ready_in_s;
  const reading = test?.reading;
  const clipped = reading ? Math.max(...reading.clipped) : 0;
  const change = reading?.change_stops ?? 0;
  const age = test ? Math.floor((Date.now() - Date.parse(test.shot_at)) / 60_000) : 0;
  const wrong = test?.in_focus && Math.abs(change) > 0.34;
  return (
    <section aria-label="Light">
      <h2 className="text-[1rem]">Light</h2>
      <Choice
        beside
        label="Flash"
        value={engraved(nearest)}
        options={POWERS.map((power) => ({ value: engraved(power), label: engraved(power) }))}
        onChange={(value) => {
          const power = POWERS.find((one) => engraved(one) === value);
          if (power) act(() => api.setFlash({ power }));
        }}
      />
      <Row label="Flash ready">
        {ready > 0.05 ? `in ${ready.toFixed(1)} s` : "now"}, every {flash.recycle_s.toFixed(1)} s
      </Row>
      {reading && (
        <>
          <Row label="Brightest 1 %" fault={reading.headroom_stops === 0}>
            {reading.headroom_stops === 0 ? "washed out" : `${stops(reading.headroom_stops)} below clipping`}
          </Row>
          <Row label="Washed out, R G B" fault={clipped > 0.01}>
            {reading.clipped.map((share) => (100 * share).toFixed(1)).join("  ")} %
          </Row>
          <Row label="Black level">{(100 * reading.black).toFixed(1)} %</Row>
          <Row label="Glare spots" fault={reading.glare.length > 0}>
            {reading.glare.length === 0 ? "none" : `${reading.glare.length}, marked`}
          </Row>
        </>
      )}
      {test && (
        <p className={`py-1 text-[0.9375rem] ${test.in_focus && age < OLD ? "text-ink2" : "text-fault"}`}>
          {age < OLD ? "Shot" : `Old: shot ${age} min ago,`}{" "}
          {test.at_um !== null && `at ${(test.at_um / 1000).toFixed(3)} mm`}
          {!test.in_focus && ". Nothing was in focus there: these figures tell little"}.
        </p>
      )}
      <Row label="Room light alone" fault={room !== null && !room.black}>
        {room === null
          ? "not looked at"
          : room.black
            ? "none seen"
            : `${stops(room.stops ?? 0)} below the flash`}
      </Row>
      {wrong && test && (
        <Button
          className="mt-2 w-full"
          disabled={locked || test.next_power === null}
          onClick={() =>
            test.next_power && act(() => api.setFlash({ power: test.next_power }).then(api.testFrame))
          }
        >
          {test.missing_stops !== 0
            ? `${stops(change)} ${change > 0 ? "more" : "less"} than it can give`
            : `${change > 0 ? "+" : "−"}${stops(change)}: set ${test.next_setting}`}
        </Button>
      )}
      <div className="mt-2 grid grid-cols-2 gap-2">
        <Button command="testFrame" disabled={locked || working} onClick={() => act(api.testFrame)}>
          Test frame
        </Button>
        <Button command="roomFrame" disabled={locked || working} onClick={() => act(api.roomFrame)}>
          Flash off
        </Button>
      </div>
      <Diffuser bench={bench} locked={locked || working} act={act} />
      <Heads bench={bench} locked={locked || working} act={act} />
      <Meter flash={flash} locked={locked} act={act} />
    </section>
  );
}
