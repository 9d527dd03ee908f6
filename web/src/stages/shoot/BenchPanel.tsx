import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Bench } from "../../client/api";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Check, NumberField, TextField } from "../../ui/Field";
import { Notice } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";

interface Props {
  bench: Bench;
  open: boolean;
  refused: Error | null;
  onClose: () => void;
  act: (order: () => Promise<unknown>) => void;
  sound: boolean;
  onSound: (on: boolean) => void;
}

/** What stands on the bench: rail, camera, watched folder, and the faults switched on for practice. */
export function BenchPanel({ bench, open, refused, onClose, act, sound, onSound }: Props) {
  const scenes = useQuery({ queryKey: ["scenes"], queryFn: api.scenes, staleTime: Number.POSITIVE_INFINITY });
  const flaws = useQuery({ queryKey: ["flaws"], queryFn: api.flaws, staleTime: Number.POSITIVE_INFINITY });
  const { settings } = bench;
  const [address, setAddress] = useState(settings.rail === "simulated" ? "" : settings.rail);
  const [folder, setFolder] = useState(settings.folder);
  const on = new Set(settings.flaws);
  const toggle = (key: string) => {
    if (!on.delete(key)) on.add(key);
    act(() => api.changeBench({ flaws: [...on] }));
  };
  const turned = settings.stage_reversed ?? [];
  const turn = (axis: "right" | "down") => {
    const without = turned.filter((one) => one !== axis);
    act(() =>
      api.changeBench({ stage_reversed: without.length < turned.length ? without : [...turned, axis] }),
    );
  };
  return (
    <Panel title="Bench" open={open} onClose={onClose}>
      {refused && <Notice kind="fault">{refused.message}</Notice>}
      <Choice
        label="Rail"
        value={settings.rail === "simulated" ? "simulated" : "own"}
        options={[
          { value: "simulated", label: "Simulated rail" },
          { value: "own", label: "Own rail, G-code" },
        ]}
        onChange={(value) => {
          if (value === "simulated") act(() => api.changeBench({ rail: "simulated" }));
          else act(() => api.changeBench({ rail: address || "/dev/ttyUSB0" }));
        }}
      />
      {settings.rail !== "simulated" && (
        <>
          <TextField
            label="Address"
            hint="A serial device such as /dev/ttyUSB0, or socket://127.0.0.1:8470. Lines of G-code in mm."
            value={address || settings.rail}
            onChange={setAddress}
          />
          <Button
            className="w-full"
            onClick={() =>
              act(() => api.changeBench({ rail: address || settings.rail }).then(api.connectRail))
            }
          >
            Connect
          </Button>
        </>
      )}
      <Choice
        label="Sideways, the specimen is moved"
        value={settings.stage}
        options={[
          { value: "hand", label: "By hand" },
          { value: "rail", label: "By the rail's controller, axes Y and Z" },
        ]}
        onChange={(value) => act(() => api.changeBench({ stage: value as "hand" | "rail" }))}
      />
      {settings.stage === "rail" && (
        <>
          <Check
            label="Y counts the other way: the field goes left"
            checked={turned.includes("right")}
            onChange={() => turn("right")}
          />
          <Check
            label="Z counts the other way: the field goes up"
            checked={turned.includes("down")}
            onChange={() => turn("down")}
          />
        </>
      )}
      <Choice
        label="Camera"
        value={settings.camera}
        options={[
          { value: "simulated", label: "Simulated camera and flash" },
          { value: "folder", label: "Own camera, frames come into the watched folder" },
        ]}
        onChange={(value) => act(() => api.changeBench({ camera: value as "simulated" | "folder" }))}
      />
      <TextField
        label="Watched folder"
        hint="Any tethering program or card reader may save there; files are copied, never changed. Empty: the folder 'incoming' in the data folder."
        value={folder}
        onChange={setFolder}
      />
      {folder !== settings.folder && (
        <Button className="w-full" onClick={() => act(() => api.changeBench({ folder }))}>
          Watch this folder
        </Button>
      )}
      <NumberField
        label="Shoot an unfit frame again, at most"
        unit="×"
        value={settings.reshoots}
        onChange={(reshoots) => reshoots !== null && act(() => api.changeBench({ reshoots }))}
      />
      <Check label="Sound when a run ends or stops by itself" checked={sound} onChange={onSound} />
      {settings.camera === "simulated" && (
        <>
          <Choice
            label="Under the simulated lens lies"
            value={settings.scene ?? "by-kind"}
            options={[
              { value: "by-kind", label: "What suits the label" },
              ...(scenes.data ?? []).map((one) => ({ value: one.key, label: one.name })),
            ]}
            onChange={(value) => act(() => api.changeBench({ scene: value === "by-kind" ? "" : value }))}
          />
          <fieldset className="mt-3">
            <legend className="head text-[1rem]">Faults for practice</legend>
            {(flaws.data ?? []).map((flaw) => (
              <Check
                key={flaw.key}
                label={flaw.name}
                checked={on.has(flaw.key)}
                onChange={() => toggle(flaw.key)}
              />
            ))}
          </fieldset>
        </>
      )}
    </Panel>
  );
}
