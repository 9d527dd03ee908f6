import { Link } from "@tanstack/react-router";
import { Popover } from "radix-ui";
import type { StackLine } from "../client/api";
import { plural } from "../lib/numbers";

interface Props {
  specimenId: number;
  stacks: StackLine[];
  stackId?: number;
  takeId?: number;
}

const SOURCES = { bench: "at the bench", files: "own files", folder: "by hand" } as const;

/** Every stack of a specimen with every take, and what each holds: a way to all work that was ever done. */
export function StackList({ specimenId, stacks, stackId, takeId }: Props) {
  return (
    <div className="text-[0.9375rem]">
      <ul>
        {stacks.map((stack) => (
          <li key={stack.id} className="border-rule border-b py-1.5">
            <Row
              stackId={stack.id}
              stage="plan"
              current={stack.id === stackId}
              title={`Stack ${stack.number}`}
              detail={`${stack.rig_name}, planned ${day(stack.created_at)}${stack.takes.length === 0 ? ", not shot yet" : ""}`}
            />
            <ul className="pl-5">
              {stack.takes.map((take) => (
                <li key={take.id}>
                  <Row
                    stackId={stack.id}
                    takeId={take.id}
                    stage={take.merges > 0 || take.frames > 1 ? "merge" : "shoot"}
                    current={take.id === takeId}
                    title={`Take ${take.number}`}
                    detail={`${plural(take.frames, "frame")} ${SOURCES[take.source]}, ${day(take.created_at)}, ${take.merges > 0 ? plural(take.merges, "merge") : "not merged"}`}
                  />
                </li>
              ))}
            </ul>
          </li>
        ))}
      </ul>
      <Popover.Close asChild>
        <Link
          className="mt-2 inline-flex min-h-9 items-center underline underline-offset-3"
          to="/specimens/$specimenId/plan"
          params={{ specimenId: String(specimenId) }}
        >
          Plan another stack
        </Link>
      </Popover.Close>
    </div>
  );
}

interface RowProps {
  stackId: number;
  takeId?: number;
  stage: string;
  current: boolean;
  title: string;
  detail: string;
}

function Row({ stackId, takeId, stage, current, title, detail }: RowProps) {
  return (
    <Popover.Close asChild>
      <Link
        to="/stacks/$stackId/$stage"
        params={{ stackId: String(stackId), stage }}
        search={takeId === undefined ? {} : { take: takeId }}
        aria-current={current ? "true" : undefined}
        className="block px-2 py-1.5 hover:bg-rule/40 aria-[current]:bg-amber-wash"
      >
        <strong>{title}</strong> <span className="text-ink2">{detail}</span>
      </Link>
    </Popover.Close>
  );
}

/** The day of a time, as it was here. */
const day = (time: string) =>
  new Date(time).toLocaleString("en-GB", {
    day: "numeric",
    month: "short",
    hour: "2-digit",
    minute: "2-digit",
  });
