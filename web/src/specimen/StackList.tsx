import { Link, useNavigate } from "@tanstack/react-router";
import { Popover } from "radix-ui";
import { useState } from "react";
import type { Specimen, StackLine } from "../client/api";
import { moment, plural } from "../lib/numbers";
import { Button } from "../ui/Button";
import { Discard } from "../ui/Discard";
import { Panel } from "../ui/Panel";
import { SpecimenForm } from "./SpecimenForm";

interface Props {
  specimen: Specimen;
  stacks: StackLine[];
  stackId?: number;
  takeId?: number;
}

const SOURCES = {
  bench: "at the bench",
  files: "own files",
  folder: "by hand",
  card: "from a card",
  tiles: "from tiles",
} as const;

/** Every stack of a specimen with every take, and what each holds: a way to all work that was ever done. */
export function StackList({ specimen, stacks, stackId, takeId }: Props) {
  const [correcting, setCorrecting] = useState(false);
  const navigate = useNavigate();
  const current = stacks.find((one) => one.id === stackId);
  // Tiles stand in one line under their whole; the one that is open has its takes too.
  const isShown = (one: StackLine) =>
    !one.tile ||
    one.id === current?.id ||
    !stacks.some((whole) => whole.tile === 0 && whole.tile_set_id === one.tile_set_id);
  const toCabinet = () => void navigate({ to: "/" });
  const number = specimen.catalogue_number;
  return (
    <div className="text-[0.9375rem]">
      <ul>
        {stacks.filter(isShown).map((stack) => (
          <li key={stack.id} className="border-rule border-b py-1.5">
            <div className="flex items-start">
              <Row
                stackId={stack.id}
                stage="plan"
                current={stack.id === stackId}
                title={stack.tile === null ? `Stack ${stack.number}` : nameOf(stack)}
                detail={`${stack.rig_name}, planned ${moment(stack.created_at)}${stack.takes.length === 0 ? ", not shot yet" : ""}`}
              />
              <Discard
                kind="stack"
                id={stack.id}
                what={`stack ${stack.number} of ${number}`}
                along={stack.takes.length > 0 ? "Its takes and merges go with it." : undefined}
                onDone={stack.id === stackId ? toCabinet : undefined}
              />
            </div>
            {stack.tile === 0 && (
              <ul aria-label={`Tiles of stack ${stack.number}`} className="flex flex-wrap pl-5">
                {stacks
                  .filter((one) => one.tile_set_id === stack.tile_set_id && one.tile)
                  .map((one) => (
                    <li key={one.id}>
                      <Row
                        stackId={one.id}
                        stage={one.takes.length > 0 ? "merge" : "shoot"}
                        current={one.id === stackId}
                        title={`Tile ${one.tile}`}
                        detail={one.takes.length > 0 ? "shot" : ""}
                      />
                    </li>
                  ))}
              </ul>
            )}
            <ul className="pl-5">
              {stack.takes.map((take) => (
                <li key={take.id} className="flex items-start">
                  <Row
                    stackId={stack.id}
                    takeId={take.id}
                    stage={take.merges > 0 || take.frames > 1 ? "merge" : "shoot"}
                    current={take.id === takeId}
                    title={`Take ${take.number}`}
                    detail={`${take.source === "tiles" ? "laid" : plural(take.frames, "frame")} ${SOURCES[take.source]}, ${moment(take.created_at)}, ${take.merges > 0 ? plural(take.merges, "merge") : "not merged"}`}
                  />
                  <Discard
                    kind="take"
                    id={take.id}
                    what={`take ${take.number} of stack ${stack.number} of ${number}`}
                    along={take.merges > 0 ? "Its merges go with it." : undefined}
                  />
                </li>
              ))}
            </ul>
          </li>
        ))}
      </ul>
      <div className="mt-2 flex flex-wrap items-center gap-x-4">
        <Popover.Close asChild>
          <Link
            className="inline-flex min-h-9 items-center underline underline-offset-3"
            to="/specimens/$specimenId/plan"
            params={{ specimenId: String(specimen.id) }}
          >
            {stacks.length > 0 ? "Plan another stack" : "Plan a stack"}
          </Link>
        </Popover.Close>
        <Button look="quiet" className="px-0" onClick={() => setCorrecting(true)}>
          Correct the label
        </Button>
        <Discard
          kind="specimen"
          label="Discard the specimen"
          id={specimen.id}
          what={`${number} ${specimen.name}`}
          along={stacks.length > 0 ? "All its stacks, takes and merges go with it." : undefined}
          onDone={stackId === undefined ? undefined : toCabinet}
          className="px-0"
        />
      </div>
      <Panel title="Label" open={correcting} onClose={() => setCorrecting(false)}>
        <SpecimenForm specimen={specimen} onDone={() => setCorrecting(false)} />
      </Panel>
    </div>
  );
}

const nameOf = (stack: StackLine) =>
  stack.tile === 0 ? `Stack ${stack.number}, a whole of tiles` : `Stack ${stack.number}, tile ${stack.tile}`;

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
        className="block min-w-0 flex-1 px-2 py-1.5 hover:bg-rule/40 aria-[current]:bg-amber-wash"
      >
        <strong>{title}</strong> <span className="text-ink2">{detail}</span>
      </Link>
    </Popover.Close>
  );
}
