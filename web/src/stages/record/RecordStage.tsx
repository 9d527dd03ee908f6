import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Merge, pictureUrl, type Stack, type Take } from "../../client/api";
import { Ladder } from "../../ladder/Ladder";
import { drawing } from "../../ladder/layout";
import { plusMinus, trimmed } from "../../lib/numbers";
import { aperture, depth, magnification, NOT_KNOWN, step } from "../../specimen/figures";
import { SeriesWarnings } from "../../specimen/SeriesWarnings";
import { finishedMerges, latestTake, useStack } from "../../specimen/stack";
import { Choice } from "../../ui/Choice";
import { Notice, Placeholder } from "../../ui/Notice";

const METHODS: Record<string, string> = { pyramid: "pyramid", select: "depth pick", blend: "contrast blend" };

/** The label and record of a stack, and its files for others. */
export function RecordStage() {
  const stack = useStack();
  const finished = finishedMerges(stack);
  const [chosen, setChosen] = useState<number | null>(null);
  const shown = finished.find(({ merge }) => merge.id === chosen) ?? finished.at(-1);
  const drawn = drawing(stack.plan, stack.ladder, shown?.take ?? latestTake(stack), shown?.merge);
  return (
    <div className="grid h-full grid-cols-[264px_1fr]">
      <Ladder drawing={drawn} caption={shown && drawn.unplaced === 0 ? "share of picture" : "planned"} />
      {shown ? (
        <OneRecord stack={stack} {...shown} finished={finished} onMerge={setChosen} />
      ) : (
        <Placeholder>
          There is nothing to record yet.{" "}
          <Link
            to="/stacks/$stackId/$stage"
            params={{ stackId: String(stack.id), stage: "merge" }}
            className="underline"
          >
            Merge a take first
          </Link>
          .
        </Placeholder>
      )}
    </div>
  );
}

interface Props {
  stack: Stack;
  take: Take;
  merge: Merge;
  finished: Array<{ take: Take; merge: Merge }>;
  onMerge: (id: number) => void;
}

function OneRecord({ stack, take, merge, finished, onMerge }: Props) {
  const label = useQuery({ queryKey: ["label", merge.id], queryFn: () => api.label(merge.id) });
  const { specimen, optics } = stack;
  const used = (merge.report?.frames_used as string[] | undefined)?.length ?? 0;
  const excluded = (merge.report?.excluded as unknown[] | undefined)?.length ?? 0;
  const facts: ReadonlyArray<readonly [string, string]> = [
    ["Specimen", `${specimen.catalogue_number} ${specimen.name}`],
    ["Kind and mount", [specimen.kind, specimen.mount].filter(Boolean).join(", ")],
    [
      "Lies in",
      specimen.medium_index > 1 ? `${specimen.medium}, n ${specimen.medium_index}` : specimen.medium,
    ],
    ["Locality", specimen.locality || "not given"],
    ["Rig", `${stack.rig_name}, version ${stack.rig_version}`],
    ["Magnification", magnification(optics)],
    ["Effective aperture", aperture(optics)],
    ["Shot with", label.data?.shot_with ?? ""],
    ["Step", step(stack, take)],
    ["Frames", `${take.frames.length} shot, ${used} used, ${excluded} left out`],
    ["Depth", depth(merge)],
    ["Merged by", `${METHODS[merge.method] ?? merge.method}, run ${merge.number} of take ${take.number}`],
    ["Mended", label.data?.mended.join(", ") || "nothing"],
  ];
  return (
    <div className="overflow-y-auto p-5">
      <div className="grid max-w-[1020px] grid-cols-[minmax(0,1fr)_380px] gap-8">
        <section aria-label="Label and record">
          <h2 className="mb-1 text-[20px]">Record</h2>
          <Choice
            beside
            label="Of"
            value={String(merge.id)}
            options={finished.map((one) => ({
              value: String(one.merge.id),
              label: `${METHODS[one.merge.method] ?? one.merge.method}, run ${one.merge.number}, take ${one.take.number}`,
            }))}
            onChange={(value) => onMerge(Number(value))}
          />
          <dl>
            {facts.map(([name, value]) => (
              <div key={name} className="flex justify-between gap-6 border-rule border-b py-1.5">
                <dt className="shrink-0 text-ink2">{name}</dt>
                <dd className="text-right">{value}</dd>
              </div>
            ))}
            {label.data && (
              <div className="flex justify-between gap-6 border-rule border-b py-1.5">
                <dt className="text-ink2">Scale</dt>
                <dd className="text-right">
                  {label.data.um_per_px === null ? (
                    NOT_KNOWN
                  ) : (
                    <>
                      {label.data.u_um_per_px
                        ? plusMinus(label.data.um_per_px, label.data.u_um_per_px)
                        : trimmed(label.data.um_per_px.toPrecision(4))}{" "}
                      µm/px, <strong>{label.data.scale_from}</strong>
                    </>
                  )}
                </dd>
              </div>
            )}
          </dl>
          {label.data?.scale_from === "nominal" && (
            <div className="mt-3">
              <Notice kind="hint" title="The scale is nominal.">
                It follows from the rig's arithmetic; nothing was measured. The picture and the record say so.
              </Notice>
            </div>
          )}
          <div className="mt-3 space-y-2 empty:hidden">
            <SeriesWarnings take={take} />
          </div>
          {label.isError && <Notice kind="fault">{label.error.message}</Notice>}
        </section>
        <section aria-label="Files">
          <div className="relative bg-mat">
            <img
              alt={`Composite of ${specimen.name}`}
              className="w-full"
              src={pictureUrl("composite", merge.id, "preview.jpg")}
            />
            {label.data?.bar && (
              <div
                className="absolute right-3 bottom-3 border-white border-b-[3px] pb-0.5 text-center text-[13px] text-white [text-shadow:0_0_3px_#000]"
                style={{ width: `${(100 * label.data.bar.length_px) / label.data.width_px}%` }}
              >
                {label.data.bar.label}
              </div>
            )}
          </div>
          <h2 className="mt-4 mb-1 text-[16px]">Files</h2>
          <ul>
            <Download
              href={`/api/merges/${merge.id}/picture.png`}
              next
              name="Picture with scale bar"
              kind="PNG, cropped to what all frames share"
            />
            <Download
              href={`/api/merges/${merge.id}/composite.tif`}
              name="Composite"
              kind="TIFF as merged, full frame"
            />
            <Download
              href={`/api/merges/${merge.id}/depth.tif`}
              name="Depth"
              kind={`TIFF of floats in ${merge.depth_um === null ? "frames" : "µm"}, empty where unknown`}
            />
            <Download
              href={`/api/merges/${merge.id}/record.json`}
              name="Full record"
              kind="JSON: label, rig, plan, every frame with its checksum"
            />
            <Download href="/api/ledger.csv" name="Ledger of all stacks" kind="CSV" />
          </ul>
        </section>
      </div>
    </div>
  );
}

function Download({
  href,
  name,
  kind,
  next = false,
}: {
  href: string;
  name: string;
  kind: string;
  next?: boolean;
}) {
  return (
    <li className="flex min-h-12 items-center justify-between gap-3 border-rule border-b">
      <span>
        {name} <span className="block text-[13px] text-ink2">{kind}</span>
      </span>
      <a
        href={href}
        download
        aria-label={`Save ${name}`}
        className={`head inline-flex min-h-11 shrink-0 items-center rounded-s border px-4 ${next ? "border-amber bg-amber-fill text-on-amber" : "border-ink bg-card"}`}
      >
        Save
      </a>
    </li>
  );
}
