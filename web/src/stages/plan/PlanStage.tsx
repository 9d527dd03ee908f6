import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { api, type Specimen, type Stack } from "../../client/api";
import { Label } from "../../specimen/Label";
import { useStack } from "../../specimen/stack";
import { InHeader } from "../../ui/HeaderSlot";
import { Notice, Placeholder } from "../../ui/Notice";
import { PlanForm } from "./PlanForm";

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
  const parts = useQuery({ queryKey: ["parts"], queryFn: api.parts });
  if (shelf.isPending || parts.isPending) return <Placeholder>Fetching the rigs …</Placeholder>;
  const failed = shelf.error ?? parts.error;
  if (failed || !shelf.data || !parts.data)
    return (
      <Placeholder>
        <Notice kind="fault">{failed?.message}</Notice>
      </Placeholder>
    );
  const first = shelf.data.find((rig) => rig.on_bench) ?? shelf.data[0];
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
  return <PlanForm specimen={specimen} stack={stack} rigs={shelf.data} parts={parts.data} first={first} />;
}
