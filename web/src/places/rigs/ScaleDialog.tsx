import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, Refusal, type Rig, type ScalePicture } from "../../client/api";
import { keptOfSame } from "../../lib/kept";
import { plusMinus } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Check, NumberField } from "../../ui/Field";
import { FileButton } from "../../ui/FileButton";
import { Notice } from "../../ui/Notice";
import { Deviation } from "./Deviation";
import { type Points, RulingPicture } from "./RulingPicture";
import type { ScaleResult } from "./results";

const SIMULATED_UM = 20;
const NO_PICTURE: ScalePicture["picture"] = { name: "", sha256: "", suffix: ".jpg" };

/** The scale from a picture: the ruling is found, its true spacing confirmed; or two points are set by hand. */
export function ScaleDialog({ rig, onDone }: { rig: Rig; onDone: () => void }) {
  const [length, setLength] = useState<number | null>(null);
  const [tolerance, setTolerance] = useState<number | null>(null);
  const [points, setPoints] = useState<Points | null>(null);
  const [sure, setSure] = useState(false);
  const seen = (found: ScalePicture) => {
    save.reset();
    setSure(false);
    const { width_px: w, height_px: h } = found;
    setPoints(found.ruling ? null : [0.2 * w, h / 2, 0.8 * w, h / 2]);
  };
  const bring = useMutation({
    mutationFn: (file: File) => api.bringScalePicture(rig.id, file),
    onSuccess: seen,
  });
  const shoot = useMutation({
    mutationFn: () => api.shootRuledSlide(rig.id),
    onSuccess: (found) => {
      setLength(SIMULATED_UM);
      seen(found);
    },
  });
  const latest = bring.submittedAt > shoot.submittedAt ? bring : shoot;
  const found = latest.data;
  const entry = {
    picture: found?.picture ?? NO_PICTURE,
    length_um: length ?? 0,
    tolerance_percent: tolerance,
    points,
    despite_deviation: sure,
  };
  const complete = length !== null && Boolean(found?.ruling || points);
  const triedKey = ["scale", rig.id, entry.picture, entry];
  const tried = useQuery({
    queryKey: triedKey,
    queryFn: async () => (await api.tryScale(rig.id, entry)) as unknown as ScaleResult,
    enabled: complete,
    placeholderData: keptOfSame(triedKey, 3),
    retry: false,
  });
  const save = useMutation({
    mutationFn: () => api.saveScale(rig.id, entry),
  });
  const busy = bring.isPending || shoot.isPending;
  const error = save.error ?? tried.error;
  const refusal = error instanceof Refusal ? error : null;
  const saved = save.data?.result as ScaleResult | undefined;
  const measured = complete && !tried.isError ? (saved ?? tried.data) : undefined;

  return (
    <div className="space-y-3">
      <p className="text-ink2">
        Photograph a ruled slide, ruler or grid with this rig, at full size, in focus. Tilt up to 15° does no
        harm.
      </p>
      <div className="flex flex-wrap gap-2">
        <FileButton
          label="Picture of a ruling"
          disabled={busy}
          onFiles={([file]) => file && bring.mutate(file)}
        >
          Choose a picture
        </FileButton>
        <Button onClick={() => shoot.mutate()} disabled={busy}>
          Shoot the ruled slide on the simulated bench
        </Button>
      </div>
      {busy && <p role="status">Looking for the ruling …</p>}
      {latest.isError && (
        <Notice kind="fault" title="This picture cannot be used.">
          {latest.error.message}
        </Notice>
      )}
      {found && !busy && (
        <>
          {found.reason && !found.ruling && (
            <Notice kind="hint" title="Set two points by hand.">
              {found.reason}.
            </Notice>
          )}
          <RulingPicture found={found} points={points} onPoints={setPoints} />
          <div className="grid grid-cols-2 gap-6">
            <div>
              {found.ruling && (
                <div className="flex gap-2 py-1">
                  <Button
                    look={points ? "plain" : "quiet"}
                    onClick={() => setPoints(points ? null : acrossRuling(found))}
                  >
                    {points ? "Use the ruling that was found" : "Set two points by hand instead"}
                  </Button>
                </div>
              )}
              <NumberField
                label={points ? "True distance of the two points" : "True distance of neighbouring lines"}
                unit="µm"
                value={length}
                onChange={setLength}
                problem={refusal?.at("length_um") ?? refusal?.at("points")}
              />
              <NumberField
                label="How true that distance is"
                unit="± %"
                optional
                hint="From the maker's certificate. Left empty, ± 0.1 % is assumed, and said to be."
                value={tolerance}
                onChange={setTolerance}
                problem={refusal?.at("tolerance_percent")}
              />
              {points &&
                (["First point, x", "First point, y", "Second point, x", "Second point, y"] as const).map(
                  (label, i) => (
                    <NumberField
                      key={label}
                      label={label}
                      unit="px"
                      value={Math.round((points[i] ?? 0) * 10) / 10}
                      onChange={(value) =>
                        value !== null &&
                        setPoints(points.map((one, k) => (k === i ? value : one)) as unknown as Points)
                      }
                    />
                  ),
                )}
            </div>
            <div className="space-y-2">
              {found.ruling && !points && (
                <p>
                  Lines every{" "}
                  <strong>{plusMinus(found.ruling.pitch_px, found.ruling.u_pitch_px, "px")}</strong>,{" "}
                  {found.ruling.lines} of them, turned by {found.ruling.angle_deg.toFixed(2)}°
                  {found.ruling.distortion !== null &&
                    `; the field is bent by ${(100 * found.ruling.distortion).toFixed(2)} % at most`}
                  .
                </p>
              )}
              {measured && (
                <>
                  <p role="status">
                    {saved ? "Saved: " : "That is "}
                    <strong>{plusMinus(measured.um_per_px, measured.u_um_per_px, "µm/px")}</strong>
                    {measured.tolerance_assumed &&
                      `, with ± ${measured.tolerance_percent} % assumed for the ruling`}
                    .{saved && " The rig works with it from now on."}
                  </p>
                  <Deviation result={measured} />
                </>
              )}
              {refusal && refusal.fields.length === 0 && <Notice kind="fault">{refusal.message}</Notice>}
              {saved ? (
                <Button look="next" onClick={onDone}>
                  Done
                </Button>
              ) : (
                <>
                  {measured?.must_be_confirmed && (
                    <Check label="The distance is right all the same" checked={sure} onChange={setSure} />
                  )}
                  <Button
                    look="next"
                    disabled={!measured || (measured.must_be_confirmed && !sure) || save.isPending}
                    onClick={() => save.mutate()}
                  >
                    Use this scale
                  </Button>
                </>
              )}
            </div>
          </div>
        </>
      )}
    </div>
  );
}

/** Two points to begin with: ten lines apart on the ruling that was found. */
function acrossRuling({ ruling, width_px, height_px }: ScalePicture): Points {
  if (!ruling) return [0.2 * width_px, height_px / 2, 0.8 * width_px, height_px / 2];
  const turn = (ruling.angle_deg * Math.PI) / 180;
  const [x, y] = ruling.origin_px as unknown as [number, number];
  const far = 5 * ruling.pitch_px;
  return [
    x - far * Math.cos(turn),
    y - far * Math.sin(turn),
    x + far * Math.cos(turn),
    y + far * Math.sin(turn),
  ];
}
