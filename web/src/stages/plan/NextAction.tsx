import { Link } from "@tanstack/react-router";
import type { Stack } from "../../client/api";
import { Button } from "../../ui/Button";

interface Props {
  stack: Stack | null;
  shot: boolean;
  touched: boolean;
  ready: boolean;
  saving: boolean;
  onSave: () => void;
}

/** What comes after this plan: saving it, or the stage that follows. */
export function NextAction({ stack, shot, touched, ready, saving, onSave }: Props) {
  if (stack && !touched)
    return (
      <Link
        to="/stacks/$stackId/$stage"
        params={{ stackId: String(stack.id), stage: shot ? "merge" : "shoot" }}
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
