import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Bench } from "../../../client/api";
import { fNumber } from "../../../lib/numbers";
import { Button } from "../../../ui/Button";
import { Choice } from "../../../ui/Choice";
import { NumberField } from "../../../ui/Field";
import { Notice } from "../../../ui/Notice";
import { engraved, POWERS } from "./power";
import { More, stops } from "./Row";

interface Props {
  flash: Bench["flash"];
  locked: boolean;
  act: (order: () => Promise<unknown>) => void;
}

/** A flash meter's reading beside the specimen, turned into a power through this rig. */
export function Meter({ flash, locked, act }: Props) {
  const [read, setRead] = useState<number | null>(null);
  const [power, setPower] = useState(engraved(flash?.power ?? 1 / 8));
  const [metered, setMetered] = useState<number | null>(100);
  const [camera, setCamera] = useState<number | null>(100);
  const [taken, setTaken] = useState<number | null>(0);
  const asked = useMutation({
    mutationFn: () =>
      api.metered({
        f_number: read ?? 0,
        power: POWERS.find((one) => engraved(one) === power) ?? 1 / 8,
        metered_iso: metered ?? 100,
        camera_iso: camera ?? 100,
        taken_stops: taken ?? 0,
      }),
  });
  const told = asked.data;
  const anew = <T,>(set: (value: T) => void) => {
    return (value: T) => {
      asked.reset();
      set(value);
    };
  };
  return (
    <More title="A meter's reading">
      <NumberField
        label="It read, beside the specimen"
        unit="f/"
        value={read}
        optional
        onChange={anew(setRead)}
      />
      <Choice
        beside
        label="With the flash at"
        value={power}
        options={POWERS.map((one) => ({ value: engraved(one), label: engraved(one) }))}
        onChange={anew(setPower)}
      />
      <NumberField label="Meter set to ISO" value={metered} onChange={anew(setMetered)} />
      <NumberField label="Camera set to ISO" value={camera} onChange={anew(setCamera)} />
      <NumberField label="Filters in the rig take" unit="stops" value={taken} onChange={anew(setTaken)} />
      {asked.error && <Notice kind="fault">{asked.error.message}</Notice>}
      {told && (
        <p className="py-1 text-[0.9375rem]">
          At {fNumber(told.effective_f_number)} effective this rig needs {stops(told.stops)}{" "}
          {told.stops >= 0 ? "more" : "less"}:{" "}
          {told.missing_stops === 0
            ? `set ${told.setting}. Then look at a test frame.`
            : `${stops(told.missing_stops)} ${told.missing_stops > 0 ? "more" : "less"} than the flash can give.`}
        </p>
      )}
      <div className="mt-1 grid grid-cols-2 gap-2">
        <Button
          disabled={read === null || metered === null || camera === null || taken === null}
          onClick={() => asked.mutate()}
        >
          Reckon
        </Button>
        {flash && (
          <Button
            disabled={locked || !told?.power}
            onClick={() => told?.power && act(() => api.setFlash({ power: told.power }))}
          >
            {told?.power ? `Set ${told.setting}` : "Set it"}
          </Button>
        )}
      </div>
    </More>
  );
}
