import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, Refusal, type Rig, type Specimen, type Stack } from "../../client/api";
import { Ladder } from "../../ladder/Ladder";
import { drawing } from "../../ladder/layout";
import { plural, um } from "../../lib/numbers";
import { SpecimenForm } from "../../places/cabinet/SpecimenForm";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { NumberField } from "../../ui/Field";
import { InHeader } from "../../ui/HeaderSlot";
import { Notice, Placeholder } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";
import { Label, useStack } from "../StackPage";
import { type Draft, draftOf, planOf, START } from "./draft";
import { Result } from "./Result";

/** Plan a first ladder, or another one, for a specimen. */
export function NewLadder({ specimenId }: { specimenId: number }) {
  const specimen = useQuery({ queryKey: ["specimen", specimenId], queryFn: () => api.specimen(specimenId) });
  if (specimen.isPending) return <Placeholder>Fetching the label …</Placeholder>;
  if (specimen.isError)
    return (
      <Placeholder>
        <Notice kind="fault">{specimen.error.message}</Notice>
      </Placeholder>
    );
  return (
    <>
      <InHeader>
        <Label specimen={specimen.data} under="new ladder" />
      </InHeader>
      <Planner specimen={specimen.data} stack={null} />
    </>
  );
}

/** The plan of a stack: open to change until it is shot. */
export function PlanStage() {
  const stack = useStack();
  return <Planner key={stack.id} specimen={stack.specimen} stack={stack} />;
}

function Planner({ specimen, stack }: { specimen: Specimen; stack: Stack | null }) {
  const shelf = useQuery({ queryKey: ["rigs"], queryFn: api.rigs });
  if (shelf.isPending) return <Placeholder>Fetching the rigs …</Placeholder>;
  if (shelf.isError)
    return (
      <Placeholder>
        <Notice kind="fault">{shelf.error.message}</Notice>
      </Placeholder>
    );
  const first = shelf.data[0];
  if (!first)
    return (
      <Placeholder>
        There is no rig on the shelf yet.{" "}
        <Link to="/rigs" className="underline">
          Put one together
        </Link>
        , then plan the ladder.
      </Placeholder>
    );
  return <PlanForm specimen={specimen} stack={stack} rigs={shelf.data} first={first} />;
}

interface FormProps {
  specimen: Specimen;
  stack: Stack | null;
  rigs: Rig[];
  first: Rig;
}

function PlanForm({ specimen, stack, rigs, first }: FormProps) {
  const shot = (stack?.takes.length ?? 0) > 0;
  const [rigId, setRigId] = useState(stack?.rig_id ?? first.id);
  const [draft, setDraft] = useState<Draft>(stack ? draftOf(stack.plan) : START);
  const [touched, setTouched] = useState(false);
  const [labelling, setLabelling] = useState(false);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const onShelf = rigs.find((one) => one.id === rigId) ?? first;
  // What was saved is shown with the rig as it was; any change plans with the shelf as it is now.
  const asSaved = stack !== null && !touched;
  const rig = asSaved ? stack.rig : { ...onShelf.rig, medium_index: specimen.medium_index };
  const plan = planOf(draft);
  const preview = useQuery({
    queryKey: ["plan-preview", rig, plan],
    queryFn: () => api.tryPlan(rig, plan as NonNullable<typeof plan>),
    enabled: plan !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const figures = useQuery({
    queryKey: ["rig-figures", rig],
    queryFn: () => api.tryRig({ name: "plan", sensor: rig.sensor, train: rig.train }, rig.medium_index ?? 1),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const save = useMutation({
    mutationFn: (body: NonNullable<typeof plan>) => {
      const entry = { rig_id: rigId, plan: body };
      return stack && !shot ? api.changeLadder(stack.id, entry) : api.saveLadder(specimen.id, entry);
    },
    onSuccess: (saved) => {
      setTouched(false);
      queries.setQueryData(["stack", saved.id], saved);
      void queries.invalidateQueries({ queryKey: ["cabinet"] });
      void queries.invalidateQueries({ queryKey: ["stack"] });
      void navigate({ to: "/stacks/$stackId/shoot", params: { stackId: String(saved.id) } });
    },
  });
  const change = (part: Partial<Draft>) => {
    setTouched(true);
    save.reset();
    setDraft((now) => ({ ...now, ...part }));
  };
  const refusals = [save.error, preview.error].filter((error) => error instanceof Refusal);
  const problem = (field: string) => refusals.map((one) => one.at(field)).find(Boolean);
  const ladder = preview.data;
  const stale = plan === null || preview.isError;

  return (
    <div className="grid h-full grid-cols-[280px_318px_1fr]">
      {ladder && plan ? (
        <Ladder
          drawing={drawing(plan, ladder, asSaved ? stack.takes.at(-1) : undefined)}
          caption={plural(ladder.frames, "rung")}
        />
      ) : (
        <div className="border-ink border-r bg-card" />
      )}
      <div className="overflow-y-auto border-rule border-r p-4">
        <h2 className="mb-1 text-[16px]">What you have</h2>
        <Choice
          beside
          label="Rig"
          value={String(rigId)}
          options={rigs.map((one) => ({ value: String(one.id), label: one.name }))}
          onChange={(value) => {
            setRigId(Number(value));
            change({});
          }}
        />
        <div className="flex min-h-11 items-center justify-between border-rule border-b">
          <span>It lies in</span>
          <button
            type="button"
            className="border-ink2 border-b border-dotted"
            onClick={() => setLabelling(true)}
            title="Change the label"
          >
            {specimen.medium} <span className="text-ink2">n</span> {specimen.medium_index}
          </button>
        </div>
        <NumberField
          label="Rail click"
          unit="µm"
          optional
          hint="The rail's smallest move; empty for a rail without steps."
          value={draft.click_um}
          onChange={(click_um) => change({ click_um })}
          problem={problem("rail.click_um")}
        />
        <h2 className="mt-5 mb-1 text-[16px]">What must be sharp</h2>
        <NumberField
          label="Nearest point"
          unit="µm"
          value={draft.near_um}
          onChange={(near_um) => change({ near_um })}
          problem={problem("near_um")}
        />
        <NumberField
          label="Farthest point"
          unit="µm"
          value={draft.far_um}
          onChange={(far_um) => change({ far_um })}
          problem={problem("far_um")}
        />
        <NumberField
          label="Spare rungs each end"
          hint="Start and stop where nothing is sharp: a series that ends too early cannot be saved."
          value={draft.spare_rungs}
          onChange={(spare_rungs) => change({ spare_rungs })}
          problem={problem("spare_rungs")}
        />
        <NumberField
          label="Overlap"
          unit="%"
          value={draft.overlap_percent}
          onChange={(overlap_percent) => change({ overlap_percent })}
          problem={problem("overlap")}
        />
        <h2 className="mt-5 mb-1 text-[16px]">Each rung takes</h2>
        <NumberField
          label="Settling"
          unit="s"
          value={draft.settle_s}
          onChange={(settle_s) => change({ settle_s })}
          problem={problem("timing.settle_s")}
        />
        <NumberField
          label="Exposure"
          unit="s"
          value={draft.exposure_s}
          onChange={(exposure_s) => change({ exposure_s })}
          problem={problem("timing.exposure_s")}
        />
        <NumberField
          label="Flash recycling"
          unit="s"
          value={draft.recycle_s}
          onChange={(recycle_s) => change({ recycle_s })}
          problem={problem("timing.recycle_s")}
        />
        <NumberField
          label="One frame on the card"
          unit="MB"
          value={draft.frame_mb}
          onChange={(frame_mb) => change({ frame_mb })}
          problem={problem("bytes_per_frame")}
        />
      </div>
      <div className="overflow-y-auto p-5">
        <div className="mb-3 flex items-start justify-between gap-4">
          <p className={`head text-[30px] leading-tight ${stale ? "opacity-45" : ""}`} aria-live="polite">
            {ladder ? (
              <>
                {ladder.frames} frames <span className="font-normal text-[18px] text-ink2">every</span>{" "}
                {um(ladder.step_um)}
              </>
            ) : (
              "No ladder yet"
            )}
          </p>
          <NextAction
            stack={stack}
            shot={shot}
            touched={touched}
            ready={plan !== null && !preview.isError}
            saving={save.isPending}
            onSave={() => plan && save.mutate(plan)}
          />
        </div>
        <div className="mb-3 space-y-2">
          {refusals
            .filter((one) => one.fields.length === 0)
            .map((one) => (
              <Notice key={one.message} kind="fault">
                {one.message}
              </Notice>
            ))}
          {shot && !touched && (
            <Notice kind="hint" title="This ladder has been shot.">
              Rig and plan stay as they were. Change anything to plan another stack.
            </Notice>
          )}
        </div>
        {ladder && plan && (
          <div className={stale ? "opacity-45" : ""}>
            <Result
              ladder={ladder}
              figures={figures.data?.figures ?? []}
              click={draft.click_um}
              wanted={(draft.overlap_percent ?? 0) / 100}
              medium={specimen.medium}
              index={rig.medium_index ?? 1}
              timing={plan.timing}
              near={plan.near_um}
              far={plan.far_um}
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

interface NextProps {
  stack: Stack | null;
  shot: boolean;
  touched: boolean;
  ready: boolean;
  saving: boolean;
  onSave: () => void;
}

function NextAction({ stack, shot, touched, ready, saving, onSave }: NextProps) {
  if (stack && !touched)
    return (
      <Link
        to={`/stacks/$stackId/${shot ? "merge" : "shoot"}`}
        params={{ stackId: String(stack.id) }}
        className="head inline-flex min-h-11 shrink-0 items-center rounded-s border border-amber bg-amber-fill px-4 text-on-amber"
      >
        {shot ? "Merge this stack" : "Shoot this ladder"}
      </Link>
    );
  return (
    <Button look="next" className="shrink-0" disabled={!ready || saving} onClick={onSave}>
      {stack && shot ? "Save as a new stack" : "Save this ladder"}
    </Button>
  );
}
