import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, type DepthLegendView, type Merge, type Rights, type Stack, type Take } from "../../client/api";
import { show } from "../../client/live";
import { Ladder } from "../../ladder/Ladder";
import { drawing } from "../../ladder/layout";
import { fineShare, percent, plural, plusMinus, trimmed } from "../../lib/numbers";
import { aperture, depthText, magnification, NOT_KNOWN, step } from "../../specimen/figures";
import { methodName, reportOf } from "../../specimen/report";
import { SeriesWarnings } from "../../specimen/SeriesWarnings";
import { type Finished, finishedMerges, shownMerge, useStack, useTake } from "../../specimen/stack";
import { Choice } from "../../ui/Choice";
import { Notice, Placeholder } from "../../ui/Notice";
import { FileNamesLine } from "./FileNamesPanel";
import { History } from "./History";
import { Packages } from "./Packages";
import { RightsLine } from "./RightsPanel";
import { barProblems, barQuery, ScaleBar, USUAL } from "./ScaleBar";

/** The label and record of a stack, and its files for others. */
export function RecordStage() {
  const stack = useStack();
  const finished = finishedMerges(stack);
  const { take, chosen } = useTake();
  const [picked, setPicked] = useState<number | null>(null);
  const shown = shownMerge(finished, picked, chosen ? take?.id : undefined);
  const drawn = drawing(stack.plan, stack.ladder, shown?.take ?? take, shown?.merge);
  return (
    <div className="grid h-full grid-cols-[clamp(190px,20vw,264px)_minmax(0,1fr)] small:block small:h-auto">
      <Ladder drawing={drawn} caption={shown && drawn.unplaced === 0 ? "share of picture" : "planned"} />
      {shown ? (
        <OneRecord stack={stack} {...shown} finished={finished} onMerge={setPicked} />
      ) : (
        <Placeholder>
          There is nothing to record yet.{" "}
          <Link
            to="/stacks/$stackId/$stage"
            params={{ stackId: String(stack.id), stage: "merge" }}
            search
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
  finished: Finished[];
  onMerge: (id: number) => void;
}

function OneRecord({ stack, take, merge, finished, onMerge }: Props) {
  const label = useQuery({ queryKey: ["label", merge.id], queryFn: () => api.label(merge.id) });
  const deep = useQuery({
    queryKey: ["depth", merge.id],
    queryFn: () => api.depthOf(merge.id),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const [bar, setBar] = useState(USUAL);
  const faulty = label.data !== undefined && Object.keys(barProblems(bar, label.data)).length > 0;
  const { specimen, optics } = stack;
  const used = (merge.report?.frames_used as string[] | undefined)?.length ?? 0;
  const excluded = (merge.report?.excluded as Array<{ file: string; reason: string }> | undefined) ?? [];
  const warnings = (merge.report?.warnings as string[] | undefined) ?? [];
  const facts: ReadonlyArray<readonly [string, string]> = [
    ["Specimen", `${specimen.catalogue_number} ${specimen.name}`],
    ["Kind and mount", [specimen.kind, specimen.mount].filter(Boolean).join(", ")],
    [
      "Lies in",
      specimen.medium_index > 1 ? `${specimen.medium}, n ${specimen.medium_index}` : specimen.medium,
    ],
    ["Locality", [specimen.locality, coordinates(specimen)].filter(Boolean).join(", ") || "not given"],
    ...filled("Collected", [specimen.collector, specimen.collected_on]),
    ...filled("Determined", [specimen.determination, specimen.determined_by, specimen.determined_on]),
    ["Rig", `${stack.rig_name}, version ${stack.rig_version}`],
    ["Magnification", magnification(optics)],
    ["Effective aperture", aperture(optics)],
    ["Shot with", label.data?.shot_with ?? ""],
    ...(take.source === "tiles"
      ? [["Tiles", plural(reportOf(merge).registration.length, "merge")] as const]
      : ([
          ["Step", step(stack, take)],
          ["Frames", `${take.frames.length} shot, ${used} used, ${excluded.length} left out`],
        ] as const)),
    ...(excluded.length > 0
      ? [["Left out", excluded.map((one) => `${one.file} ${one.reason}`).join("; ")] as const]
      : []),
    ["Depth", deep.data ? depthFact(merge, deep.data) : depthText(merge)],
    ["Merged by", `${methodName(merge.method).toLowerCase()}, run ${merge.number} of take ${take.number}`],
    ...(warnings.length > 0 ? [["To look at", warnings.join(" ")] as const] : []),
    ["Mended", label.data?.mended.map(mendedText).join("; ") || "nothing"],
  ];
  return (
    <div className="overflow-y-auto p-5">
      <div className="grid max-w-[1240px] grid-cols-[minmax(0,1fr)_minmax(300px,38%)] gap-8 small:block">
        <section aria-label="Label and record">
          <h2 className="mb-1 text-[1.25rem]">Record</h2>
          <Choice
            beside
            label="Of"
            value={String(merge.id)}
            options={finished.map((one) => ({
              value: String(one.merge.id),
              label: `${methodName(one.merge.method).toLowerCase()}, run ${one.merge.number}, take ${one.take.number}${one.merge.counts ? ": counts" : ""}`,
            }))}
            onChange={(value) => onMerge(Number(value))}
          />
          {!merge.counts && (
            <Notice kind="hint" title="Another merge counts for this stack.">
              This is the record of one that was kept beside it. Cabinet and ledger show the one that counts.
            </Notice>
          )}
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
                        ? plusMinus(label.data.um_per_px, label.data.u_um_per_px, "µm/px")
                        : `${trimmed(label.data.um_per_px.toPrecision(4))} µm/px`}
                      , <strong>{label.data.scale_from}</strong>
                    </>
                  )}
                </dd>
              </div>
            )}
            {label.data?.details.map(([name, words]) => (
              <div key={name} className="flex justify-between gap-6 border-rule border-b py-1.5">
                <dt className="shrink-0 text-ink2">{name}</dt>
                <dd className="text-right">{words}</dd>
              </div>
            ))}
          </dl>
          {label.data?.came_with ? (
            <div className="flex justify-between gap-6 border-rule border-b py-1.5">
              <span className="text-ink2">Rights, as they came with it</span>
              <span className="text-right">{inWords(label.data.came_with)}</span>
            </div>
          ) : (
            <RightsLine />
          )}
          <ScaleOf stack={stack} />
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
          {label.data && <History entries={label.data.done} broken={label.data.broken} />}
        </section>
        <section aria-label="Files">
          <div className="bg-mat">
            <img
              alt={`Composite of ${specimen.name}, with its scale bar`}
              className="w-full"
              src={`/api/merges/${merge.id}/bar.jpg${faulty ? "" : barQuery(bar)}`}
            />
          </div>
          {label.data && <ScaleBar bar={bar} label={label.data} onChange={setBar} />}
          <h2 className="mt-4 mb-1 text-[1rem]">Files</h2>
          {label.data && <FileNamesLine mergeId={merge.id} stem={label.data.file_stem} />}
          <ul>
            {faulty ? (
              <li className="flex min-h-12 items-center border-rule border-b text-fault">
                Put the scale bar right, and the picture can be saved with it.
              </li>
            ) : (
              <>
                <Download
                  href={`/api/merges/${merge.id}/picture.png${barQuery(bar)}`}
                  next
                  name="Picture with scale bar"
                  kind="PNG, cropped to what all frames share; its notes say whose it is, and the scale"
                />
                <Download
                  href={`/api/merges/${merge.id}/picture.jpg${barQuery(bar)}`}
                  name="The same"
                  kind="JPEG"
                />
              </>
            )}
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
            {reportOf(merge).findings && (
              <Download
                href={`/api/merges/${merge.id}/depth_u.tif`}
                name="How sure depth is"
                kind="TIFF: standard uncertainty of each pixel's depth"
              />
            )}
            <Download
              href={`/api/merges/${merge.id}/ome-tiff`}
              name="All in one file"
              kind="OME-TIFF: composite, depth and how sure it is, with names and scale"
            />
            <WebSite mergeId={merge.id} />
            {label.data?.mended.flatMap((one) => [
              <Download
                key={`${one.product_id} whole`}
                href={`/api/merges/${merge.id}/ome-tiff?mended_id=${one.product_id}`}
                name={`${one.name}, all in one file`}
                kind="OME-TIFF: as mended, what was changed, depth and how sure it is"
              />,
              <Download
                key={`${one.product_id} composite`}
                href={`/api/mended/${one.product_id}/composite.tif`}
                name={one.name}
                kind={`TIFF as mended, ${plural(one.steps, "step")}`}
              />,
              <Download
                key={`${one.product_id} changed`}
                href={`/api/mended/${one.product_id}/changed.tif`}
                name={`${one.name}, what was changed`}
                kind="TIFF: of each pixel, by what kind of step"
              />,
              <Download
                key={`${one.product_id} before and after`}
                href={`/api/merges/${merge.id}/before-after.png?mended_id=${one.product_id}`}
                name={`${one.name}, before and after`}
                kind="PNG: both whole, side by side at one scale, with what was changed"
              />,
              <WebSite key={`${one.product_id} web`} mergeId={merge.id} mended={one} />,
            ])}
            <Download
              href={`/api/merges/${merge.id}/record.pdf`}
              name="Record on paper"
              kind="PDF: picture with bar, figures, ladder, measures, history"
            />
            <Download
              href={`/api/merges/${merge.id}/record.json`}
              name="Full record"
              kind="JSON: label, rig, plan, every frame with its checksum"
            />
            <Download href="/api/ledger.csv" name="Ledger of all stacks" kind="CSV, with all columns" />
          </ul>
          <Packages mergeId={merge.id} />
        </section>
      </div>
    </div>
  );
}

/** Whose pictures they are, of a stack that came from another station. */
const inWords = ({ photographer, rights_holder, licence }: Rights) =>
  [photographer, rights_holder, licence].filter(Boolean).join(", ") || "nothing was said";

/** A fact of whatever is known of it; none where that is nothing. */
function filled(name: string, words: string[]): Array<readonly [string, string]> {
  const known = words.filter(Boolean).join(", ");
  return known ? [[name, known]] : [];
}

function coordinates({ latitude, longitude, place_within_m }: Stack["specimen"]): string {
  if (latitude === null || longitude === null) return "";
  const place = `${Math.abs(latitude)}° ${latitude < 0 ? "S" : "N"}, ${Math.abs(longitude)}° ${longitude < 0 ? "W" : "E"}`;
  return place_within_m === null ? place : `${place} ± ${place_within_m} m`;
}

/** A mended picture in the record: what was changed, and what of it is no evidence. */
function mendedText({ name, steps, changed, not_evidence }: Mended): string {
  const shares = Object.entries(changed)
    .filter(([kind, share]) => share > 0 && kind !== "healed")
    .map(([kind, share]) => `${MENDED_BY[kind] ?? kind} ${fineShare(share)}`);
  const healed = not_evidence > 0 ? [`healed ${fineShare(not_evidence)}: not evidence`] : [];
  return `${name}, ${plural(steps, "step")}${[...shares, ...healed].map((one) => `, ${one}`).join("")}`;
}

type Mended = Awaited<ReturnType<typeof api.label>>["mended"][number];
const MENDED_BY: Record<string, string> = {
  frame: "painted from frames",
  dust: "dust replaced",
  ground: "ground set",
  tone: "tones alone",
};

/** Which scale counts, where more than one was ever measured on the rig. */
function ScaleOf({ stack }: { stack: Stack }) {
  const queries = useQueryClient();
  const found = useQuery({ queryKey: ["scales", stack.id], queryFn: () => api.scales(stack.id) });
  const apply = useMutation({
    mutationFn: (id: number | null) => api.applyScale(stack.id, id),
    onSuccess: async (now) => {
      await show(queries, ["scales", stack.id], now);
      for (const key of ["label", "stack", "cabinet"]) void queries.invalidateQueries({ queryKey: [key] });
    },
  });
  const choices = found.data ?? [];
  if (choices.length < 2) return null;
  const words = (one: (typeof choices)[number]) =>
    `${one.u_um_per_px ? plusMinus(one.um_per_px, one.u_um_per_px, "µm/px") : `${trimmed(one.um_per_px.toPrecision(4))} µm/px`}, ${one.made_at ? `measured ${one.made_at.slice(0, 10)}` : `as planned, ${one.origin}`}`;
  return (
    <>
      <Choice
        beside
        label="Scale to use"
        value={String(choices.find((one) => one.in_use)?.calibration_id ?? "planned")}
        options={choices.map((one) => ({
          value: String(one.calibration_id ?? "planned"),
          label: words(one),
        }))}
        onChange={(value) => apply.mutate(value === "planned" ? null : Number(value))}
      />
      <p className="text-[0.875rem] text-ink2">
        Measured on this rig. The record keeps the planned scale beside the one that is used.
      </p>
      {apply.isError && <Notice kind="fault">{apply.error.message}</Notice>}
    </>
  );
}

function depthFact(merge: Merge, { unit, near, far, known_share }: DepthLegendView): string {
  if (near === null || far === null) return NOT_KNOWN;
  const from = (value: number) => `${trimmed(value.toFixed(1))} ${unit}`;
  const span = `from ${from(near)} to ${from(far)} below the nearest frame, known on ${percent(known_share)} of the picture`;
  return merge.depth_um === null ? `${NOT_KNOWN} in µm; ${span}` : `${depthText(merge)}: ${span}`;
}

/** Tiles and manifest for a web site; without an address for them there are none. */
function WebSite({ mergeId, mended }: { mergeId: number; mended?: Mended }) {
  const names = useQuery({ queryKey: ["fileNames"], queryFn: api.fileNames });
  const name = mended ? `${mended.name}, for a web site` : "For a web site";
  const kind = "IIIF: tiles and manifest in a zip, to unpack where files are given out";
  if (names.data?.web_address === "")
    return (
      <li className="flex min-h-12 items-center border-rule border-b">
        <span>
          {name}
          <span className="block text-[0.875rem] text-ink2">
            {kind}. Set the web address first, above: it stands in every file.
          </span>
        </span>
      </li>
    );
  return (
    <Download
      href={`/api/merges/${mergeId}/web-site.zip${mended ? `?mended_id=${mended.product_id}` : ""}`}
      name={name}
      kind={kind}
    />
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
        {name} <span className="block text-[0.875rem] text-ink2">{kind}</span>
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
