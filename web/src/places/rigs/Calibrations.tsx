import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Calibration, type Rig } from "../../client/api";
import { moment, plusMinus } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Discard } from "../../ui/Discard";
import { Notice } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";
import { Work } from "../../ui/Work";
import { Deviation } from "./Deviation";
import { Drift } from "./Drift";
import { RampDialog } from "./RampDialog";
import { ResidualPlot } from "./ResidualPlot";
import type { RampResult, ScaleResult } from "./results";
import { ScaleDialog } from "./ScaleDialog";

/** What was measured on a rig, newest first, and new measurements. */
export function Calibrations({ rig, onOpen }: { rig: Rig; onOpen: (open: boolean) => void }) {
  const [open, setShown] = useState<"scale" | "ramp" | null>(null);
  const setOpen = (dialog: "scale" | "ramp" | null) => {
    onOpen(dialog !== null);
    setShown(dialog);
  };
  const queries = useQueryClient();
  const found = useQuery({ queryKey: ["calibrations", rig.id], queryFn: () => api.calibrations(rig.id) });
  // The rig is fetched anew only when the dialog is left: its form begins again with what was measured.
  const close = () => {
    setOpen(null);
    void queries.invalidateQueries({ queryKey: ["rigs"] });
    void queries.invalidateQueries({ queryKey: ["calibrations", rig.id] });
  };
  return (
    <section aria-label="Calibrations" className="mt-5">
      <div className="flex flex-wrap items-center gap-2 border-rule border-b pb-2">
        <h2 className="flex-1 text-[1rem]">Calibrations</h2>
        <Button onClick={() => setOpen("scale")}>Scale from a picture</Button>
        <Button onClick={() => setOpen("ramp")}>Focus units from a ramp</Button>
      </div>
      {found.isError && <Notice kind="fault">{found.error.message}</Notice>}
      {found.data?.length === 0 && (
        <p className="py-2 text-[0.875rem] text-ink2">
          Nothing was measured yet: the scale is nominal. A ruled slide takes a minute.
        </p>
      )}
      {found.data && <Drift rigId={rig.id} calibrations={found.data} />}
      <ul>
        {found.data?.map((one) => (
          <li key={one.id} className="border-rule border-b py-2">
            <One calibration={one} />
          </li>
        ))}
      </ul>
      <Panel size="wide" title={`Scale of ${rig.name}`} open={open === "scale"} onClose={close}>
        <ScaleDialog rig={rig} onDone={close} />
      </Panel>
      <Panel title={`Focus units of ${rig.name}`} open={open === "ramp"} onClose={close}>
        <RampDialog rig={rig} onDone={close} />
      </Panel>
    </section>
  );
}

function One({ calibration }: { calibration: Calibration }) {
  const made = calibration.made_at.replace("T", " ").slice(0, 16);
  const { task } = calibration;
  const head = (title: string, value: string) => (
    <>
      <div className="flex items-baseline justify-between gap-4">
        <strong>{title}</strong>
        <span>{value}</span>
      </div>
      <p className="text-[0.875rem] text-ink2">
        By {calibration.method}, {made}, on version {calibration.rig_version}
        {calibration.kind === "scale" &&
          calibration.pictures.map((picture) => (
            <a
              key={String(picture.sha256)}
              className="ml-2 inline-flex min-h-6 items-center underline underline-offset-2"
              href={`/api/calibration-pictures/${picture.sha256}${picture.suffix}`}
              target="_blank"
              rel="noreferrer"
            >
              its picture
            </a>
          ))}
        {calibration.kind === "focus_units" && `, ${calibration.pictures.length} frames`}
      </p>
    </>
  );
  if (calibration.kind === "scale" && calibration.result) {
    const result = calibration.result as unknown as ScaleResult;
    return (
      <>
        {head("Scale", plusMinus(result.um_per_px, result.u_um_per_px, "µm/px"))}
        <Deviation result={result} />
        <SetAside calibration={calibration} />
      </>
    );
  }
  const entry = calibration.entry as { unit: string };
  if (task && (task.state === "running" || task.state === "waiting"))
    return (
      <Work
        title={task.phase === "shoot" ? "Shooting the ramp" : "Measuring the ramp"}
        done={task.done}
        total={task.total}
        secondsLeft={task.seconds_left}
        onStop={() => void api.stop(task.id)}
      />
    );
  if (!calibration.result)
    return (
      <>
        {task?.state === "failed" ? (
          <Notice kind="fault" title="The ramp could not be measured.">
            {task.message}
          </Notice>
        ) : (
          head("Focus units", task?.state === "stopped" ? "stopped by hand" : "frames are awaited")
        )}
        <DiscardThis calibration={calibration} />
      </>
    );
  const result = calibration.result as unknown as RampResult;
  return (
    <>
      {head(`One ${entry.unit}`, plusMinus(result.um_per_unit, result.u_um_per_unit, "µm"))}
      {result.slope_tolerance_assumed && (
        <p className="text-[0.875rem] text-ink2">
          The uncertainty holds ± {result.slope_tolerance_deg}° of the slope, which is assumed.
        </p>
      )}
      <ResidualPlot result={result} />
      <SetAside calibration={calibration} />
    </>
  );
}

/** A measurement that proved wrong counts no more, and can be let count again. */
function SetAside({ calibration }: { calibration: Calibration }) {
  const queries = useQueryClient();
  const aside = calibration.set_aside_at !== null;
  const change = useMutation({
    mutationFn: () => api.setAside(calibration.id, !aside),
    onSettled: () => {
      void queries.invalidateQueries({ queryKey: ["calibrations", calibration.rig_id] });
      void queries.invalidateQueries({ queryKey: ["rigs"] });
    },
  });
  return (
    <>
      {change.isError && <Notice kind="fault">{change.error.message}</Notice>}
      <p className="flex items-center gap-3">
        {aside && <span>Set aside: it counts no more.</span>}
        <Button look="quiet" disabled={change.isPending} onClick={() => change.mutate()}>
          {aside ? "Let it count again" : "Set it aside"}
        </Button>
        {aside && <DiscardThis calibration={calibration} />}
      </p>
    </>
  );
}

function DiscardThis({ calibration }: { calibration: Calibration }) {
  const made = moment(calibration.made_at);
  return <Discard kind="calibration" id={calibration.id} what={`the calibration of ${made}`} />;
}
