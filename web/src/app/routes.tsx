import { createRootRoute, createRoute, createRouter, Navigate } from "@tanstack/react-router";
import { lazy, Suspense } from "react";
import { Cabinet } from "../places/cabinet/Cabinet";
import { CardPage } from "../places/card/CardPage";
import { Cards } from "../places/card/Cards";
import { DayPage } from "../places/day/DayPage";
import { DiscardedPlace } from "../places/discarded/DiscardedPlace";
import { Ledger } from "../places/ledger/Ledger";
import { readSearch } from "../places/ledger/search";
import { Rigs } from "../places/rigs/Rigs";
import { readDate } from "../specimen/day";
import { useStack } from "../specimen/stack";
import { NewLadder, PlanStage } from "../stages/plan/PlanStage";
import { RecordStage } from "../stages/record/RecordStage";
import { StackPage } from "../stages/StackPage";
import { ShootStage } from "../stages/shoot/ShootStage";
import { SortStage } from "../stages/sort/SortStage";
import { WholeMend, WholeSort } from "../stages/tiles/WholeNote";
import { Notice, Placeholder } from "../ui/Notice";
import { Frame } from "./Frame";

// Deep zoom is the heaviest part of the pages and needed in two stages only.
const MergeStage = lazy(() => import("../stages/merge/MergeStage"));

// Whoever works needs no practice.
const PracticePlace = lazy(() =>
  import("../places/practice/PracticePlace").then((all) => ({ default: all.PracticePlace })),
);
const ExercisePage = lazy(() =>
  import("../places/practice/ExercisePage").then((all) => ({ default: all.ExercisePage })),
);
const MendStage = lazy(() => import("../stages/mend/MendStage"));
const WholeShoot = lazy(() => import("../stages/tiles/WholeShoot"));
const WholeMerge = lazy(() => import("../stages/tiles/WholeMerge"));
const MeasureStage = lazy(() => import("../stages/measure/MeasureStage"));

const root = createRootRoute({
  component: Frame,
  notFoundComponent: () => (
    <Placeholder>
      <h1 className="mb-1 text-[1.25rem]">There is no such page</h1>
      The cabinet is at the top left.
    </Placeholder>
  ),
});

const cabinet = createRoute({ getParentRoute: () => root, path: "/", component: Cabinet });
const cards = createRoute({ getParentRoute: () => root, path: "/card", component: Cards });
const oneCard = createRoute({
  getParentRoute: () => root,
  path: "/card/$cardId",
  component: function OneCard() {
    const cardId = Number(oneCard.useParams().cardId);
    return <CardPage key={cardId} cardId={cardId} />;
  },
});
const rigs = createRoute({ getParentRoute: () => root, path: "/rigs", component: Rigs });
const ledger = createRoute({
  getParentRoute: () => root,
  path: "/ledger",
  validateSearch: readSearch,
  component: Ledger,
});
const day = createRoute({
  getParentRoute: () => root,
  path: "/day",
  validateSearch: readDate,
  component: function OneDay() {
    const on = day.useSearch().on;
    return <DayPage key={on ?? "today"} date={on} />;
  },
});
const practice = createRoute({
  getParentRoute: () => root,
  path: "/practice",
  component: () => (
    <Suspense fallback={<Placeholder>Looking …</Placeholder>}>
      <PracticePlace />
    </Suspense>
  ),
});
const exercise = createRoute({
  getParentRoute: () => root,
  path: "/practice/$attemptId",
  component: function OneExercise() {
    const attemptId = Number(exercise.useParams().attemptId);
    return (
      <Suspense fallback={<Placeholder>Looking …</Placeholder>}>
        <ExercisePage key={attemptId} attemptId={attemptId} />
      </Suspense>
    );
  },
});
const discarded = createRoute({ getParentRoute: () => root, path: "/discarded", component: DiscardedPlace });
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
  validateSearch: ({ take, more }: Record<string, unknown>): { take?: number; more?: "near" | "far" } => ({
    ...(Number.isInteger(Number(take)) && Number(take) > 0 ? { take: Number(take) } : {}),
    ...(more === "near" || more === "far" ? { more } : {}),
  }),
  component: function OneStack() {
    return <StackPage stackId={Number(stack.useParams().stackId)} takeId={stack.useSearch().take} />;
  },
});
const stackIndex = createRoute({
  getParentRoute: () => stack,
  path: "/",
  component: function ToPlan() {
    return (
      <Navigate to="/stacks/$stackId/$stage" params={{ stackId: stack.useParams().stackId, stage: "plan" }} />
    );
  },
});
// The server lists the stages and their order; here stands what each looks like.
const STAGES: Readonly<Record<string, React.ComponentType>> = {
  plan: PlanStage,
  shoot: ShootStage,
  sort: SortStage,
  merge: MergeStage,
  mend: MendStage,
  measure: MeasureStage,
  record: RecordStage,
};
// What a whole of tiles has in their place.
const WHOLES: Readonly<Record<string, React.ComponentType>> = {
  shoot: WholeShoot,
  sort: WholeSort,
  merge: WholeMerge,
  mend: WholeMend,
};
const stage = createRoute({
  getParentRoute: () => stack,
  path: "/$stage",
  component: function OneStage() {
    const key = stage.useParams().stage;
    const whole = useStack().tiles?.number === 0;
    const Stage = (whole && WHOLES[key]) || STAGES[key];
    if (!Stage) return <Placeholder>There is no such stage. Choose one above.</Placeholder>;
    return (
      <Suspense fallback={<Placeholder>Opening the picture …</Placeholder>}>
        <Stage />
      </Suspense>
    );
  },
});

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
    cards,
    oneCard,
    rigs,
    ledger,
    day,
    practice,
    exercise,
    discarded,
    newLadder,
    stack.addChildren([stackIndex, stage]),
  ]),
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
