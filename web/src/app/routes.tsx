import { createRootRoute, createRoute, createRouter, Navigate } from "@tanstack/react-router";
import { lazy, Suspense } from "react";
import { Cabinet } from "../places/cabinet/Cabinet";
import { Rigs } from "../places/rigs/Rigs";
import { NewLadder, PlanStage } from "../stages/plan/PlanStage";
import { RecordStage } from "../stages/record/RecordStage";
import { StackPage } from "../stages/StackPage";
import { ShootStage } from "../stages/shoot/ShootStage";
import { Notice, Placeholder } from "../ui/Notice";
import { Frame } from "./Frame";

// Deep zoom is the heaviest part of the pages and needed in one stage only.
const MergeStage = lazy(() => import("../stages/merge/MergeStage"));

const root = createRootRoute({
  component: Frame,
  notFoundComponent: () => <Placeholder>There is no such page. The cabinet is at the top left.</Placeholder>,
});

const cabinet = createRoute({ getParentRoute: () => root, path: "/", component: Cabinet });
const rigs = createRoute({ getParentRoute: () => root, path: "/rigs", component: Rigs });
const newLadder = createRoute({
  getParentRoute: () => root,
  path: "/specimens/$specimenId/plan",
  component: function NewLadderPage() {
    return <NewLadder specimenId={Number(newLadder.useParams().specimenId)} />;
  },
});
const stack = createRoute({
  getParentRoute: () => root,
  path: "/stacks/$stackId",
  component: function OneStack() {
    return <StackPage stackId={Number(stack.useParams().stackId)} />;
  },
});
const stackIndex = createRoute({
  getParentRoute: () => stack,
  path: "/",
  component: function ToPlan() {
    return <Navigate to="/stacks/$stackId/plan" params={{ stackId: stack.useParams().stackId }} />;
  },
});
const plan = createRoute({ getParentRoute: () => stack, path: "/plan", component: PlanStage });
const shoot = createRoute({ getParentRoute: () => stack, path: "/shoot", component: ShootStage });
const merge = createRoute({
  getParentRoute: () => stack,
  path: "/merge",
  component: () => (
    <Suspense fallback={<Placeholder>Opening the picture …</Placeholder>}>
      <MergeStage />
    </Suspense>
  ),
});
const record = createRoute({ getParentRoute: () => stack, path: "/record", component: RecordStage });

function Fault({ error }: { error: unknown }) {
  return (
    <Placeholder>
      <Notice kind="fault" title="This page failed.">
        Our fault: {error instanceof Error ? error.message : String(error)}. Nothing was lost; load the page
        again.
      </Notice>
    </Placeholder>
  );
}

export const router = createRouter({
  defaultErrorComponent: Fault,
  routeTree: root.addChildren([
    cabinet,
    rigs,
    newLadder,
    stack.addChildren([stackIndex, plan, shoot, merge, record]),
  ]),
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
