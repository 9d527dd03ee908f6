import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Frame, pictureUrl, type Take } from "../client/api";
import { plural, um } from "../lib/numbers";
import { Button } from "../ui/Button";
import { TextField } from "../ui/Field";
import { Notice } from "../ui/Notice";
import { Panel } from "../ui/Panel";

const REASONS = ["shaken", "dark", "shot twice", "something moved", "nothing is sharp in it"];

/** How many frames of a take are merged, which are left out and why; and changing that. */
export function TakeFrames({ take }: { take: Take }) {
  const [open, setOpen] = useState(false);
  const { used, left_out, order_said, missing } = take.series;
  return (
    <div>
      <p>
        Stored {take.frames.length}, used {used}.{" "}
        <button type="button" className="min-h-9 underline underline-offset-3" onClick={() => setOpen(true)}>
          Leave frames out, or take them back
        </button>
      </p>
      {left_out.length > 0 && (
        <p className="text-ink2">
          Left out:{" "}
          {left_out
            .slice(0, 4)
            .map((one) => `${one.name} ${one.reason}`)
            .join("; ")}
          {left_out.length > 4 && ` and ${plural(left_out.length - 4, "more", "more")}`}.
        </p>
      )}
      <p className="text-ink2">{order_said}</p>
      {missing.length > 0 && (
        <p className="text-fault">
          {plural(missing.length, "rung")} of this ladder {missing.length === 1 ? "is" : "are"} missing: shoot
          them under Shoot while the specimen still lies there.
        </p>
      )}
      <Panel size="wide" title={`Frames of take ${take.number}`} open={open} onClose={() => setOpen(false)}>
        <FrameList take={take} />
      </Panel>
    </div>
  );
}

function FrameList({ take }: { take: Take }) {
  const queries = useQueryClient();
  const [reason, setReason] = useState("");
  const refresh = () => queries.invalidateQueries({ queryKey: ["stack"] });
  const change = useMutation({
    mutationFn: (frame: Frame) =>
      out.has(frame.id)
        ? api.takeBack(frame.id)
        : api.leaveOut(frame.id, reason.trim() || "left out by hand"),
    onSuccess: refresh,
  });
  const out = new Map(take.series.left_out.map((one) => [one.frame_id, one.reason]));
  return (
    <>
      <p className="text-ink2">
        Originals stay, and merges that are there already: what is left out takes no part in the next one.
      </p>
      <TextField
        label="Reason to leave out"
        hint="Stands in the record. Empty: left out by hand."
        value={reason}
        suggestions={REASONS}
        onChange={setReason}
      />
      {change.error && <Notice kind="fault">{change.error.message}</Notice>}
      <table className="w-full text-[0.9375rem]">
        <caption className="sr-only">Frames</caption>
        <thead>
          <tr className="border-rule border-b text-left text-[0.875rem] text-ink2">
            <th className="w-24 py-1">Frame</th>
            <th>
              <span className="sr-only">Name</span>
            </th>
            <th>Lies at</th>
            <th>Used</th>
            <th>
              <span className="sr-only">Change</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {take.frames.map((frame) => {
            const why = out.get(frame.id);
            return (
              <tr key={frame.id} className="border-rule border-b">
                <td className="py-1">
                  <img
                    alt=""
                    loading="lazy"
                    className={`h-12 w-18 bg-mat object-cover ${why ? "opacity-50" : ""}`}
                    src={pictureUrl("frame", frame.id, "thumb.jpg")}
                  />
                </td>
                <td className="max-w-52 truncate pr-3" title={frame.name}>
                  {frame.name}
                </td>
                <td className="pr-3 whitespace-nowrap">{whereItLies(frame)}</td>
                <td className="pr-3 text-ink2">
                  {why ?? (frame.faults.length > 0 ? `yes, though: ${faults(frame)}` : "yes")}
                </td>
                <td className="text-right">
                  <Button
                    look="quiet"
                    disabled={change.isPending}
                    aria-label={`${why ? "Take back" : "Leave out"} ${frame.name}`}
                    onClick={() => change.mutate(frame)}
                  >
                    {why ? "Take back" : "Leave out"}
                  </Button>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}

function whereItLies(frame: Frame): string {
  if (frame.reported_um !== null) return um(frame.reported_um);
  return frame.planned_um === null ? "not known" : `${um(frame.planned_um)}, planned`;
}

const faults = (frame: Frame) => frame.faults.map((one) => String(one.reason)).join(", ");
