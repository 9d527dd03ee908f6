import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../client/api";
import { duration, trimmed, um } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Curve } from "../../ui/Curve";
import { NumberField } from "../../ui/Field";
import { Notice } from "../../ui/Notice";

interface Props {
  snow: boolean;
  /** The specimen's stated width in mm. */
  size: number | null;
  /** Smallest detail in µm: what may be lost before it shows. */
  detail: number | null;
  /** How long the ladder takes as it is planned. */
  ladder_s: number;
  onBudget: (minutes: number) => void;
}

/** A time budget: minutes typed in, or what a snow crystal leaves. */
export function WillNotWait({ snow, size, detail, ladder_s, onBudget }: Props) {
  const [minutes, setMinutes] = useState<number | null>(2);
  return (
    <div className="grid grid-cols-2 gap-6">
      <section aria-label="Minutes">
        <h2 className="text-[1rem]">Time there is</h2>
        <p className="text-[0.875rem] text-ink2">
          The densest ladder that fits is planned; what blur between the rungs that costs is shown with it. A
          live insect, a wilting plant: type the minutes in.
        </p>
        <NumberField label="Minutes" unit="min" value={minutes} onChange={setMinutes} />
        <Button
          className="mt-2"
          disabled={minutes === null || minutes <= 0}
          onClick={() => minutes !== null && onBudget(minutes)}
        >
          Plan within this time
        </Button>
      </section>
      <Snow snow={snow} size={size} detail={detail} ladder_s={ladder_s} onBudget={onBudget} />
    </div>
  );
}

function Snow({ snow, size, detail, ladder_s, onBudget }: Props) {
  const [air, setAir] = useState<number | null>(-6);
  const [humidity, setHumidity] = useState<number | null>(70);
  const [across, setAcross] = useState<number | null>(size ? size * 1000 : 1000);
  const [allowed, setAllowed] = useState<number | null>(detail ? Number((4 * detail).toPrecision(2)) : 10);
  const ready = air !== null && humidity !== null && across !== null && allowed !== null;
  const body = {
    air_celsius: air ?? 0,
    humidity: (humidity ?? 0) / 100,
    size_um: across ?? 0,
    allowed_um: allowed ?? 0,
  };
  const found = useQuery({
    queryKey: ["vanishing", body],
    queryFn: () => api.vanishing(body),
    enabled: ready,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const seconds = found.data?.seconds;
  return (
    <section aria-label="Snow">
      <h2 className="text-[1rem]">A snow crystal{snow ? "" : ", if it were one"}</h2>
      <NumberField label="Air" unit="°C" value={air} onChange={setAir} />
      <NumberField label="Relative humidity" unit="%" value={humidity} onChange={setHumidity} />
      <NumberField label="Crystal across" unit="µm" value={across} onChange={setAcross} />
      <NumberField
        label="May shrink by"
        unit="µm"
        hint="At its edge; a few times the smallest detail."
        value={allowed}
        onChange={setAllowed}
      />
      {found.isError && <Notice kind="fault">{found.error.message}</Notice>}
      {found.data && !found.isError && (
        <>
          <p className="py-2">
            {seconds === null || seconds === undefined ? (
              "It keeps its shape in this air."
            ) : (
              <>
                It {found.data.how} that much in about <strong>{duration(seconds)}</strong>.
              </>
            )}
          </p>
          {typeof seconds === "number" && (
            <Curve
              label={`How far its edge has moved over time: ${allowed} µm after ${duration(seconds)}`}
              points={found.data.edge as Array<[number, number]>}
              x={{ words: "time", most: Math.max(found.data.edge.at(-1)?.[0] ?? 1, ladder_s), say: duration }}
              y={{ words: "edge moved", most: 2 * (allowed ?? 1), say: (value) => um(value) }}
              mark={{ x: seconds, y: allowed ?? 0, words: `${duration(seconds)}` }}
              band={{ from: 0, to: ladder_s, words: `the ladder takes ${duration(ladder_s)}` }}
            />
          )}
          {typeof seconds === "number" && (
            <Button onClick={() => onBudget(Number(trimmed((seconds / 60).toPrecision(3))))}>
              Plan within this time
            </Button>
          )}
          <p className="pt-2 text-[0.875rem] text-ink2">
            {found.data.limits} Source: {found.data.source}.
          </p>
        </>
      )}
    </section>
  );
}
