import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useRef, useState } from "react";
import { api, type Part, Refusal, type Rig, type Specimen, type Stack, type Way } from "../../client/api";
import { show } from "../../client/live";
import { Ladder } from "../../ladder/Ladder";
import { drawing } from "../../ladder/layout";
import { plural, trimmed } from "../../lib/numbers";
import { SpecimenForm } from "../../specimen/SpecimenForm";
import { KeptDraft, useKept } from "../../ui/Kept";
import { Notice } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";
import { Stale } from "../../ui/Stale";
import { Tabs } from "../../ui/Tabs";
import { Before, type ProposedFrom } from "./Before";
import { ByHand } from "./ByHand";
import { Cautions } from "./Cautions";
import {
  type Draft,
  draftOf,
  planOf,
  startOf,
  subjectOf,
  within,
  withParts,
  withProposed,
  withSet,
} from "./draft";
import { Framing } from "./Framing";
import { Headline } from "./Headline";
import { Look } from "./Look";
import { NextAction } from "./NextAction";
import { PlanFields } from "./PlanFields";
import { Result } from "./Result";
import { TilesTab } from "./Tiles";
import { Ways } from "./Ways";
import { WillNotWait } from "./WillNotWait";

interface FormProps {
  specimen: Specimen;
  stack: Stack | null;
  rigs: Rig[];
  parts: Part[];
  first: Rig;
}

/** Rig, ends, spacing and count on the left, and what comes of them. */
export function PlanForm({ specimen, stack, rigs, parts, first }: FormProps) {
  const shot = (stack?.takes.length ?? 0) > 0;
  const [rigId, setRigId] = useState(stack?.rig_id ?? first.id);
  // An aperture other than the rig's own, when one of the other ways was loaded.
  const [aperture, setAperture] = useState<number | null>(null);
  const [draft, setDraft] = useState<Draft>(() =>
    stack ? draftOf(stack.plan) : within(withParts(startOf(specimen), parts, first.parts)),
  );
  const [proposed, setProposed] = useState<{ far_um: number; from: ProposedFrom } | null>(null);
  const [touched, setTouched] = useState(false);
  const [labelling, setLabelling] = useState(false);
  const [tab, setTab] = useState("ladder");
  const revision = useRef(stack?.revision);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const onShelf = rigs.find((one) => one.id === rigId) ?? first;
  // What was saved is shown with the rig as it was; any change plans with the shelf as it is now.
  const asSaved = stack !== null && !touched;
  const rig = asSaved
    ? stack.rig
    : { ...stopped(onShelf.rig, aperture), medium_index: specimen.medium_index };
  const plan = planOf(draft);
  const subject = subjectOf(specimen);
  const preview = useQuery({
    queryKey: ["plan-preview", rig, plan, subject],
    queryFn: () => api.tryPlan(rig, plan as NonNullable<typeof plan>, subject),
    enabled: plan !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const figures = useQuery({
    queryKey: ["rig-figures", rig],
    queryFn: () => {
      const { medium_index, wavelength_nm: _, ...entry } = rig;
      return api.tryRig({ ...entry, name: "plan", parts: {} }, medium_index);
    },
    placeholderData: keepPreviousData,
    retry: false,
  });
  const calibrations = useQuery({
    queryKey: ["calibrations", rigId],
    queryFn: () => api.calibrations(rigId),
  });
  const save = useMutation({
    mutationFn: ({ body, over }: { body: NonNullable<typeof plan>; over: boolean }) => {
      // Only as long as the depth is still the proposed one.
      const kept = proposed && proposed.far_um === draft.far_um ? proposed.from : null;
      const entry = { rig_id: rigId, plan: body, marked_f_number: aperture, proposed: kept };
      return stack && !shot
        ? api.changeLadder(stack.id, entry, over ? undefined : revision.current)
        : api.saveLadder(specimen.id, entry);
    },
    onSuccess: async (saved) => {
      left.drop();
      setTouched(false);
      await show(queries, ["stack", saved.id], saved);
      void queries.invalidateQueries({ queryKey: ["cabinet"] });
      void queries.invalidateQueries({ queryKey: ["stack"] });
      // Back from Shoot leads to this plan, not to an empty one.
      const at = (stage: string) =>
        navigate({
          to: "/stacks/$stackId/$stage",
          params: { stackId: String(saved.id), stage },
          replace: stage === "plan",
        });
      void at("plan").then(() => at("shoot"));
    },
  });
  const left = useKept(
    stack ? `plan ${stack.id}` : `new plan ${specimen.id}`,
    { draft, rigId, aperture },
    touched,
    revision.current ?? null,
  );
  const change = (next: Draft) => {
    // From the first change on, what is saved elsewhere must not pass for what this one started from.
    if (!touched) revision.current = stack?.revision;
    setTouched(true);
    save.reset();
    setDraft(next);
  };
  const load = (way: Way) => {
    setRigId(way.rig_id);
    setAperture(way.marked_f_number);
    change(draft);
    setTab("ladder");
  };
  const refusals = [save.error, preview.error].filter((error) => error instanceof Refusal);
  const problem = (field: string) => refusals.map((one) => one.at(field)).find(Boolean);
  const cautions = useQuery({ queryKey: ["cautions", specimen], queryFn: () => api.cautions(specimen.id) });
  const unread = (cautions.data ?? []).filter((one) => !stack?.cautions_read.includes(one.key)).length;
  // While an entry is wrong, the last ladder that could be planned stays in sight.
  const last = useRef(preview.data);
  if (preview.data) last.current = preview.data;
  const seen = preview.data ?? last.current;
  // Only a plan that was found possible is compared with other ways.
  const lastPlan = useRef(plan);
  if (preview.data && !preview.isPlaceholderData && plan) lastPlan.current = plan;
  const shownPlan = lastPlan.current;
  const ladder = seen?.ladder;
  const stale = plan === null || preview.isError;
  const note = asSaved
    ? `${stack.rig_name}, version ${stack.rig_version}, as it was`
    : aperture !== null
      ? `Set to f/${trimmed(aperture.toPrecision(3))}`
      : null;

  return (
    <div className="grid h-full grid-cols-[clamp(180px,19vw,250px)_clamp(270px,25vw,340px)_minmax(0,1fr)] small:block small:h-auto">
      {ladder && shownPlan ? (
        <Ladder
          drawing={drawing(shownPlan, ladder, asSaved ? stack.takes.at(-1) : undefined)}
          caption={plural(ladder.frames, "rung")}
        />
      ) : (
        <div className="border-ink border-r bg-card" />
      )}
      <PlanFields
        specimen={specimen}
        rigs={rigs}
        rigId={rigId}
        rigNote={note}
        parts={parts}
        calibrations={calibrations.data ?? []}
        draft={draft}
        ladder={ladder}
        circle={seen?.circle_um ?? null}
        problem={problem}
        onRig={(id) => {
          setRigId(id);
          setAperture(null);
          const chosen = rigs.find((one) => one.id === id);
          change(chosen && !draft.unit ? withParts(draft, parts, chosen.parts) : draft);
        }}
        onChange={change}
        onLabel={() => setLabelling(true)}
      />
      <div className="overflow-y-auto p-4">
        <KeptDraft
          draft={left}
          what="A plan"
          onTake={(kept) => {
            setRigId(kept.value.rigId);
            setAperture(kept.value.aperture);
            setTouched(true);
            setDraft(kept.value.draft);
            revision.current = kept.from ?? undefined;
          }}
        />
        <div className="mb-2 flex items-start justify-between gap-3">
          <Headline ladder={ladder} stale={stale} division_um={shownPlan?.knob?.um_per_division ?? null} />
          <div className="flex shrink-0 gap-2">
            {stack && !touched && (
              <a
                className="head inline-flex min-h-11 items-center rounded-s border border-ink bg-card px-3"
                href={`/api/stacks/${stack.id}/bench-sheet`}
                target="_blank"
                rel="noreferrer"
              >
                Bench sheet
              </a>
            )}
            <NextAction
              stack={stack}
              shot={shot}
              touched={touched}
              ready={plan !== null && !preview.isError}
              saving={save.isPending}
              onSave={() => plan && save.mutate({ body: plan, over: false })}
            />
          </div>
        </div>
        <div className="mb-2 space-y-2 empty:hidden">
          {refusals
            .filter((one) => one.fields.length === 0)
            .map((one) => (
              <Notice key={one.message} kind="fault">
                {one.message}
              </Notice>
            ))}
          {stack && plan && save.error instanceof Refusal && save.error.stale && (
            <Stale
              mine={{ rig_id: rigId, ...plan }}
              fetchTheirs={async () => {
                const now = await api.stack(stack.id);
                return { rig_id: now.rig_id, ...planOf(draftOf(now.plan)) };
              }}
              onMine={() => save.mutate({ body: plan, over: true })}
              onTheirs={async () => {
                left.drop();
                const now = await api.stack(stack.id);
                await show(queries, ["stack", stack.id], now);
                save.reset();
                setRigId(now.rig_id);
                setAperture(null);
                setDraft(draftOf(now.plan));
                setTouched(false);
              }}
            />
          )}
          {shot && !touched && (
            <Notice kind="hint" title="This ladder has been shot.">
              Rig and plan stay as they were. Change anything to plan another stack.
            </Notice>
          )}
        </div>
        {stale && seen && (
          <p className="mb-2 text-[0.875rem] text-ink2" role="status">
            Shown as it was before the last change.
          </p>
        )}
        {seen && ladder && shownPlan && (
          <div className={stale ? "grayscale" : ""}>
            <Tabs
              label="About this ladder"
              value={tab}
              onChange={setTab}
              tabs={[
                {
                  value: "ladder",
                  label: "Ladder",
                  content: (
                    <>
                      <Result
                        preview={seen}
                        figures={figures.data?.figures ?? []}
                        click={shownPlan.focus_unit?.um_per_unit ?? shownPlan.rail?.click_um ?? null}
                        wanted={(draft.overlap_percent ?? 0) / 100}
                        medium={specimen.medium}
                        index={rig.medium_index}
                        timing={shownPlan.timing}
                      />
                      <Ways
                        plan={{ ...shownPlan, far_um: ladder.far_um }}
                        specimen={specimen}
                        preview={seen}
                        onLoad={load}
                      />
                    </>
                  ),
                },
                {
                  value: "look",
                  label: "How it would look",
                  content: <Look rig={rig} plan={shownPlan} specimen={specimen} />,
                },
                {
                  value: "before",
                  label: "What worked before",
                  content: (
                    <Before
                      kind={specimen.kind}
                      rig={onShelf.name}
                      magnification={onShelf.does.optics.magnification}
                      near_um={draft.near_um ?? 0}
                      inMedium={ladder.step_in_medium_um / ladder.step_um}
                      onUse={(used, from) => {
                        change(withProposed(draft, used));
                        setProposed({ far_um: used.far_um, from });
                        setTab("ladder");
                      }}
                    />
                  ),
                },
                {
                  value: "tiles",
                  label: "Tiles",
                  content: (
                    <TilesTab
                      specimen={specimen}
                      rig={rig}
                      plan={shownPlan}
                      entry={{ rig_id: rigId, marked_f_number: aperture }}
                      ready={plan !== null && !preview.isError}
                      onSaved={() => {
                        left.drop();
                        setTouched(false);
                      }}
                    />
                  ),
                },
                { value: "frame", label: "Frame and turning", content: <Framing preview={seen} /> },
                {
                  value: "hand",
                  label: "By hand",
                  content: <ByHand ladder={ladder} overlap={shownPlan.overlap ?? 0.3} />,
                },
                {
                  value: "wait",
                  label: "It will not wait",
                  content: (
                    <WillNotWait
                      snow={specimen.kind === "snow"}
                      size={specimen.width_mm}
                      ladder_s={ladder.seconds}
                      detail={figures.data?.figures.find((one) => one.key === "detail_um")?.values[0] ?? null}
                      onBudget={(minutes) => {
                        change(withSet(draft, "budget_min", minutes));
                        setTab("ladder");
                      }}
                    />
                  ),
                },
                {
                  value: "cautions",
                  label: unread > 0 ? `Cautions, ${unread} to read` : "Cautions",
                  content: <Cautions specimen={specimen} stack={stack} />,
                },
              ]}
            />
          </div>
        )}
      </div>
      <Panel title="Label" open={labelling} onClose={() => setLabelling(false)}>
        <SpecimenForm
          specimen={specimen}
          onDone={() => {
            setLabelling(false);
            setTouched(true);
          }}
        />
      </Panel>
    </div>
  );
}

/** A rig with its lens, or its tube lens's iris, at another f-number. */
function stopped(rig: Rig["rig"], f_number: number | null): Rig["rig"] {
  const { train } = rig;
  if (f_number === null) return rig;
  if (train.kind === "lens") return { ...rig, train: { ...train, f_number } };
  if (train.kind === "infinity_objective") return { ...rig, train: { ...train, tube_f_number: f_number } };
  return rig;
}
