import { api, type Bench } from "../../../client/api";
import { fineShare } from "../../../lib/numbers";
import { Button } from "../../../ui/Button";
import { Check } from "../../../ui/Field";
import { More, Row, stops } from "./Row";

interface Props {
  bench: Bench;
  locked: boolean;
  act: (order: () => Promise<unknown>) => void;
}

/** A diffuser judged by two test frames: one kept as before, and the last. */
export function Diffuser({ bench, locked, act }: Props) {
  const { diffuser, test_frame: test, settings } = bench;
  const told = diffuser?.compared;
  return (
    <More title="Diffuser, before and after">
      {settings.camera === "simulated" && settings.lit_by === "heads" && (
        <Check
          label="Simulated diffuser is on"
          checked={settings.diffused}
          onChange={(diffused) => act(() => api.changeBench({ diffused }))}
        />
      )}
      {told && (
        <table className="w-full text-[0.9375rem]">
          <thead>
            <tr className="text-left text-ink2">
              <th className="font-normal" scope="col">
                Share of the frame
              </th>
              <th className="text-right font-normal" scope="col">
                before
              </th>
              <th className="text-right font-normal" scope="col">
                after
              </th>
            </tr>
          </thead>
          <tbody className="tabular-nums">
            <Line name="Glare" before={fineShare(told.before.glare)} after={fineShare(told.after.glare)} />
            <Line name="Shadow" before={fineShare(told.before.shadow)} after={fineShare(told.after.shadow)} />
            <Line
              name="Contrast, stops"
              before={told.before.contrast_stops.toFixed(1)}
              after={told.after.contrast_stops.toFixed(1)}
            />
          </tbody>
        </table>
      )}
      {told && <Row label="It takes">{`${told.taken_stops < 0 ? "−" : ""}${stops(told.taken_stops)}`}</Row>}
      {told && !told.alike && (
        <p className="text-[0.9375rem] text-fault">
          The last frame is {stops(told.apart_stops)} {told.apart_stops > 0 ? "darker" : "brighter"}: shares
          can be compared once it is as bright. Set the flash and test again.
        </p>
      )}
      <p className="py-1 text-[0.9375rem] text-ink2">
        {told
          ? "Both frames stand side by side under Test frame."
          : diffuser
            ? "Now change the diffuser, and shoot a test frame."
            : "Keep a test frame, change the diffuser, and shoot another."}
      </p>
      <Button className="w-full" disabled={locked || !test} onClick={() => act(api.keepBefore)}>
        Keep the last test frame as before
      </Button>
    </More>
  );
}

function Line({ name, before, after }: { name: string; before: string; after: string }) {
  return (
    <tr className="border-rule border-b">
      <th className="py-1 text-left font-normal" scope="row">
        {name}
      </th>
      <td className="text-right">{before}</td>
      <td className="text-right">{after}</td>
    </tr>
  );
}
