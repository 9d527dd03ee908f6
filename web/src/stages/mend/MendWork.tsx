import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Mend, Stack, Take } from "../../client/api";
import { fineShare } from "../../lib/numbers";
import type { Box } from "../../pictures/Viewer";
import { title } from "../../specimen/report";
import type { Finished } from "../../specimen/stack";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Discard } from "../../ui/Discard";
import { TextField } from "../../ui/Field";
import { Failures, Notice } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";
import { Work } from "../../ui/Work";
import { useMendWork } from "./useChanges";

interface Props {
  mend: Mend;
  stack: Stack;
  take: Take;
  finished: Finished[];
  visible: React.RefObject<Box | null>;
  onMend: (id: number | null) => void;
}

const PHASES: Record<string, string> = {
  dust: "Replacing dust",
  cut: "Cutting out what was painted",
  mend: "Writing the picture",
};
const FILES = [
  ["composite.tif", "the mended picture, in full size and depth"],
  ["changed.tif", "of each pixel, by what kind of step"],
  ["report.json", "the steps, and what was said of each"],
] as const;
const MOST_SIDE = 4000;

/** What becomes of a mend: written in full size and depth, named, copied, made anew on another merge. */
export function MendWork({ mend, stack, take, finished, visible, onMend }: Props) {
  const [open, setOpen] = useState(false);
  const work = useMendWork(mend);
  const written = mend.mended;
  const task = written?.task;
  const running = task && (task.state === "waiting" || task.state === "running");
  const fresh = written?.revision === mend.revision && task?.state === "done";
  const changed = Object.entries((written?.report?.changed ?? {}) as Record<string, number>).filter(
    ([, share]) => share > 0,
  );
  return (
    <section
      aria-label="This mend"
      className="max-h-[45%] shrink-0 space-y-1.5 overflow-y-auto border-ink border-t p-3"
    >
      <div className="flex items-baseline justify-between gap-2">
        <strong className="min-w-0 truncate">{mend.name}</strong>
        <button type="button" className="min-h-8 underline underline-offset-3" onClick={() => setOpen(true)}>
          Name, copies, files
        </button>
      </div>
      <p className="text-[0.875rem] text-ink2">
        Retouching changes what a picture can prove: every stroke is written down{" "}
        <Link
          to="/stacks/$stackId/$stage"
          params={{ stackId: String(stack.id), stage: "record" }}
          search
          className="inline-flex min-h-7 items-center underline underline-offset-3"
        >
          in the record
        </Link>
        .
      </p>
      {running ? (
        <Work
          title={task.state === "waiting" ? "Waiting to be written" : (PHASES[task.phase] ?? "Starting")}
          done={task.done}
          total={task.total}
          secondsLeft={task.seconds_left}
          onStop={() => work.stop.mutate(task.id)}
        />
      ) : (
        !fresh && (
          <Button
            look="next"
            className="w-full"
            disabled={work.write.isPending || mend.steps.length === 0}
            onClick={() => work.write.mutate()}
          >
            Write the mended picture
          </Button>
        )
      )}
      {task?.state === "failed" && <Notice kind="fault">Not written: {task.message}</Notice>}
      {written?.report && task?.state === "done" && (
        <p role="status">
          {fresh ? "Written" : "Written as it was before the last changes"}, {mend.bits} bits:{" "}
          {changed.map(([kind, share]) => `${KINDS[kind] ?? kind} ${fineShare(share)}`).join(", ")}.
        </p>
      )}
      <Failures of={[work.write.error, work.stop.error]} />
      <Panel title={mend.name} open={open} onClose={() => setOpen(false)}>
        <Files mend={mend} visible={visible} />
        <Others key={mend.id} {...{ mend, take, finished, work, onMend }} onDone={() => setOpen(false)} />
      </Panel>
    </section>
  );
}

const KINDS: Record<string, string> = {
  frame: "painted from frames",
  dust: "dust",
  healed: "healed, not evidence,",
  ground: "ground",
  tone: "tones",
};

/** A part as merged and as mended: what is in view, or the middle. */
function sideBySide(mend: Mend, view: Box | null): string {
  const [width, height] = [Math.min(mend.width_px, 600), Math.min(mend.height_px, 400)];
  const box = view ?? { x: (mend.width_px - width) / 2, y: (mend.height_px - height) / 2, width, height };
  const x = Math.min(mend.width_px - 16, Math.max(0, Math.floor(box.x)));
  const y = Math.min(mend.height_px - 16, Math.max(0, Math.floor(box.y)));
  const wide = Math.max(16, Math.min(mend.width_px - x, MOST_SIDE, Math.floor(box.width)));
  const high = Math.max(16, Math.min(mend.height_px - y, MOST_SIDE, Math.floor(box.height)));
  return `/api/mends/${mend.id}/before-after.png?x_px=${x}&y_px=${y}&width_px=${wide}&height_px=${high}`;
}

function Files({ mend, visible }: Pick<Props, "mend" | "visible">) {
  const { mended } = mend;
  return (
    <ul aria-label="Files" className="mb-4 border-rule border-b pb-3">
      {mended?.report &&
        FILES.map(([name, what]) => (
          <li key={name}>
            <a
              className="inline-flex min-h-9 items-center underline underline-offset-3"
              href={`/api/mended/${mended.id}/${name}`}
            >
              Save {name}
            </a>{" "}
            <span className="text-ink2">{what}</span>
          </li>
        ))}
      {!mended?.report && <li className="text-ink2">The mended picture is not written yet.</li>}
      <li>
        <a
          className="inline-flex min-h-9 items-center underline underline-offset-3"
          href={`/api/mends/${mend.id}/STEPS.json`}
        >
          Save STEPS.json
        </a>{" "}
        <span className="text-ink2">the steps, as ./ladder mend takes them</span>
      </li>
      <li>
        <a
          className="inline-flex min-h-9 items-center underline underline-offset-3"
          href={sideBySide(mend, visible.current)}
        >
          Save before-after.png
        </a>{" "}
        <span className="text-ink2">what is in view, side by side at 1 : 1</span>
      </li>
    </ul>
  );
}

interface OthersProps {
  mend: Mend;
  take: Take;
  finished: Finished[];
  work: ReturnType<typeof useMendWork>;
  onMend: (id: number | null) => void;
  onDone: () => void;
}

function Others({ mend, take, finished, work, onMend, onDone }: OthersProps) {
  const [name, setName] = useState(mend.name);
  const merges = finished.filter((one) => one.take.id === take.id);
  const [merge, setMerge] = useState(String(mend.merge_id));
  const go = (id: number) => {
    onMend(id);
    onDone();
  };
  return (
    <div className="space-y-4">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          work.rename.mutate(name);
        }}
      >
        <TextField label="Name" value={name} onChange={setName} required />
        <Button type="submit" disabled={name.trim() === "" || work.rename.isPending}>
          Call it that
        </Button>
      </form>
      <div>
        <Choice
          label="Another mend, on"
          value={merge}
          options={merges.map((one) => ({ value: String(one.merge.id), label: title(one.merge) }))}
          onChange={setMerge}
        />
        <Button
          disabled={work.copy.isPending}
          onClick={() =>
            work.copy.mutate({ name: "", merge: Number(merge) }, { onSuccess: (made) => go(made.id) })
          }
        >
          {Number(merge) === mend.merge_id ? "Copy it" : "Make it anew there"}
        </Button>{" "}
        <Button
          disabled={work.begin.isPending}
          onClick={() => work.begin.mutate(Number(merge), { onSuccess: (made) => go(made.id) })}
        >
          Begin an empty one
        </Button>
      </div>
      <Failures of={[work.rename.error, work.copy.error, work.begin.error]} />
      {take.mends.length > 1 && (
        <section aria-label="Other mends of this take">
          <h3 className="text-[1rem]">Other mends of this take</h3>
          <ul>
            {take.mends
              .filter((one) => one.id !== mend.id)
              .map((one) => (
                <li key={one.id}>
                  <Button className="mt-1" onClick={() => go(one.id)}>
                    {one.name}
                  </Button>
                </li>
              ))}
          </ul>
        </section>
      )}
      <Discard
        kind="mend"
        id={mend.id}
        what={`${mend.name} of take ${take.number}`}
        label="Discard this mend"
        onDone={() => onMend(null)}
      />
    </div>
  );
}
