import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link, useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { api, type Exercise, Refusal, type Schemas } from "../../client/api";
import { Button } from "../../ui/Button";
import { NumberField } from "../../ui/Field";
import { Notice, Placeholder } from "../../ui/Notice";
import { Frames } from "./Frames";
import { InOrder } from "./InOrder";
import { Place } from "./Place";
import { TimeLeft } from "./TimeLeft";
import { VerdictPanel } from "./VerdictPanel";
import { Words } from "./Words";

type Answer = Schemas["AnswerEntry"]["answer"];

/** One exercise: what is told and asked, the pictures, and once it is answered the verdict. */
export function ExercisePage({ attemptId }: { attemptId: number }) {
  const found = useQuery({ queryKey: ["exercise", attemptId], queryFn: () => api.exercise(attemptId) });
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [answer, setAnswer] = useState<Answer>({});
  const [at, setAt] = useState(0);
  /** The place that is asked for and said by the next click. */
  const [pointing, setPointing] = useState<string | null>(null);
  const give = useMutation({
    mutationFn: (given: Answer) => api.answerExercise(attemptId, given),
    onSuccess: (told) => {
      queries.setQueryData(["exercise", attemptId], told);
      void queries.invalidateQueries({ queryKey: ["practice"] });
    },
  });
  const another = useMutation({
    mutationFn: (one: Exercise) =>
      api.beginExercise({ kind: one.kind, level: one.level, flaws: [], note: "" }),
    onSuccess: (begun) => {
      queries.setQueryData(["exercise", begun.id], begun);
      void navigate({ to: "/practice/$attemptId", params: { attemptId: String(begun.id) } });
    },
  });
  if (found.isError)
    return (
      <Placeholder>
        <Notice kind="fault">{found.error.message}</Notice>
      </Placeholder>
    );
  if (!found.data) return <Placeholder>Drawing a specimen …</Placeholder>;
  const one = found.data;
  const { verdict } = one;
  const given = whole(one, answer);
  const refused = give.error instanceof Refusal ? give.error : null;
  const set = (key: string, value: Answer[string] | null) => {
    give.reset();
    const { [key]: _before, ...rest } = answer;
    setAnswer(value === null ? rest : { ...rest, [key]: value });
  };
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_clamp(320px,30vw,460px)] small:block small:overflow-y-auto">
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls must be reached by the keyboard. */}
      <section aria-label="Exercise" tabIndex={0} className="min-h-0 overflow-y-auto p-5">
        <h1 className="text-[1.25rem]">
          {one.title}, level {one.level}
        </h1>
        <p className="max-w-[70ch] py-1">{one.words}</p>
        {one.note && <p className="max-w-[70ch] py-1 text-ink2">{one.note}</p>}
        <dl className="flex flex-wrap gap-x-8 gap-y-1 border-rule border-y py-2">
          {one.told.map(([name, value]) => (
            <div key={name} className="flex gap-2">
              <dt className="text-ink2">{name}</dt>
              <dd className="head">{value}</dd>
            </div>
          ))}
          {one.limit_s !== null && !verdict && <TimeLeft begun={one.begun_at} limit_s={one.limit_s} />}
        </dl>
        {one.frames > 0 && (
          <Frames
            exercise={one}
            at={at}
            onAt={setAt}
            marked={markedOf(one, answer)}
            pointed={pointedOf(one, answer)}
            onPlace={
              pointing && !verdict
                ? (place) => {
                    set(pointing, place);
                    setPointing(null);
                  }
                : null
            }
          />
        )}
        {verdict?.shown && <Difference exercise={one} />}
      </section>
      <aside aria-label="Answer" className="min-h-0 overflow-y-auto border-ink border-l bg-card p-4">
        {verdict ? (
          <>
            <VerdictPanel exercise={one} verdict={verdict} />
            {another.isError && <Notice kind="fault">{another.error.message}</Notice>}
            <Button look="next" className="mt-4 w-full" onClick={() => another.mutate(one)}>
              Another one
            </Button>
            <Link to="/practice" className="mt-2 flex min-h-11 items-center justify-center underline">
              All exercises
            </Link>
          </>
        ) : (
          <form
            noValidate
            onSubmit={(event) => {
              event.preventDefault();
              if (given) give.mutate(given);
            }}
          >
            <h2 className="text-[1rem]">Your answer</h2>
            {one.asked.map((asked) =>
              asked.kind === "number" ? (
                <NumberField
                  key={asked.key}
                  label={asked.label}
                  unit={asked.unit || undefined}
                  value={(answer[asked.key] as number | undefined) ?? null}
                  onChange={(value) => set(asked.key, value)}
                  problem={refused?.at(asked.key)}
                />
              ) : asked.kind === "order" ? (
                <InOrder
                  key={asked.key}
                  label={asked.label}
                  options={asked.options ?? []}
                  order={
                    (answer[asked.key] as number[] | undefined) ?? (asked.options ?? []).map((_, n) => n)
                  }
                  onChange={(order) => set(asked.key, order)}
                />
              ) : asked.kind === "frames" ? (
                <Marked
                  key={asked.key}
                  label={asked.label}
                  at={at}
                  chosen={(answer[asked.key] as number[] | undefined) ?? []}
                  onChange={(chosen) => set(asked.key, chosen)}
                />
              ) : asked.kind === "choice" ? (
                <Words
                  key={asked.key}
                  name={asked.key}
                  label={asked.label}
                  options={asked.options ?? []}
                  value={answer[asked.key] as string | undefined}
                  onChange={(value) => set(asked.key, value)}
                />
              ) : asked.kind === "place" ? (
                <Place
                  key={asked.key}
                  label={asked.label}
                  value={answer[asked.key] as number[] | undefined}
                  pointing={pointing === asked.key}
                  onPoint={() => setPointing(pointing === asked.key ? null : asked.key)}
                  onChange={(value) => set(asked.key, value)}
                />
              ) : (
                <div key={asked.key} className="border-rule border-b py-2">
                  <div className="flex justify-between gap-3">
                    <span>{asked.label}</span>
                    <span className="head">
                      {answer[asked.key] === undefined
                        ? "not said yet"
                        : `frame ${Number(answer[asked.key]) + 1}`}
                    </span>
                  </div>
                  <Button className="mt-1 w-full" onClick={() => set(asked.key, at)}>
                    Frame {at + 1}, which is shown
                  </Button>
                </div>
              ),
            )}
            {refused && refused.fields.length === 0 && <Notice kind="fault">{refused.message}</Notice>}
            <Button type="submit" look="next" className="mt-4 w-full" disabled={!given || give.isPending}>
              {give.isPending ? "Comparing with the truth …" : "That is my answer"}
            </Button>
          </form>
        )}
      </aside>
    </div>
  );
}

/** What was answered beside what would have been right; merging a patch of each takes some seconds. */
function Difference({ exercise }: { exercise: Exercise }) {
  const [state, setState] = useState<"making" | "there" | "failed">("making");
  return (
    <figure className="mt-3">
      {state !== "there" && (
        <p role="status" className="grid h-48 max-w-[720px] place-items-center bg-mat text-[#dfe4df]">
          {state === "making"
            ? "Shooting and merging both …"
            : "The picture could not be made. The figures hold."}
        </p>
      )}
      <img
        alt="What you answered, beside what would have been right"
        src={`/api/practice/attempts/${exercise.id}/difference.jpg`}
        onLoad={() => setState("there")}
        onError={() => setState("failed")}
        className={state === "there" ? "max-h-[60vh] max-w-full bg-mat" : "sr-only"}
      />
      <figcaption className="text-[0.875rem] text-ink2">Simulated. {SHOWN[exercise.kind]}</figcaption>
    </figure>
  );
}

const SHOWN: Record<string, string> = {
  step: "Left a patch through your plan, right through the best one, at 1:1.",
  snow: "Left a patch through your plan, right through the best one, at 1:1.",
  "bad-frames": "Left the frame before, right the bad one.",
  ends: "Left your first and last frame, right those that just hold both ends.",
  light: "Left with your change, right as it should be.",
  "merge-fault":
    "Left as it was merged, right as it would have been, at the place where it shows most, four times.",
  way: "Where it differs most, three times: yours, the best way, and what is there.",
  part: "The part as merged, as you mended it, and as it is mended best, twice.",
  depth: "Above the marks in your frames, below in those nearest to the truth.",
};

/** The answer, once everything that is asked has been said; an order stands from the beginning. */
function whole(one: Exercise, answer: Answer): Answer | null {
  const all: Answer = {};
  for (const asked of one.asked) {
    const value =
      answer[asked.key] ??
      (asked.kind === "order"
        ? (asked.options ?? []).map((_, n) => n)
        : asked.kind === "frames"
          ? []
          : undefined);
    if (value === undefined) return null;
    all[asked.key] = value;
  }
  return all;
}

/** Frames that stand in the answer so far, or in what would have been right. */
function markedOf(one: Exercise, answer: Answer): ReadonlySet<number> {
  const from = one.verdict ? (one.verdict.right as Answer) : answer;
  return new Set(
    one.asked
      .filter((asked) => asked.kind === "frame" || asked.kind === "frames")
      .flatMap((asked) => from[asked.key] ?? [])
      .map(Number),
  );
}

/** What was pointed at, and once it is answered what would have been right beside it. */
function pointedOf(one: Exercise, answer: Answer) {
  const said = (from: Answer, right: boolean) =>
    one.asked
      .filter((asked) => asked.kind === "place")
      .flatMap((asked) => {
        const place = from[asked.key] as number[] | undefined;
        return place ? [{ name: asked.label, x: place[0] ?? 0, y: place[1] ?? 0, right }] : [];
      });
  const given = (one.answer ?? answer) as Answer;
  return [...said(given, false), ...(one.verdict ? said(one.verdict.right as Answer, true) : [])];
}

interface MarkedProps {
  label: string;
  at: number;
  chosen: readonly number[];
  onChange: (chosen: number[]) => void;
}

function Marked({ label, at, chosen, onChange }: MarkedProps) {
  const here = chosen.includes(at);
  return (
    <div className="border-rule border-b py-2">
      <p>{label}</p>
      <p className="head">{chosen.length === 0 ? "none yet" : chosen.map((one) => one + 1).join(", ")}</p>
      <Button
        className="mt-1 w-full"
        aria-pressed={here}
        onClick={() =>
          onChange(here ? chosen.filter((one) => one !== at) : [...chosen, at].sort((a, b) => a - b))
        }
      >
        {here ? `Frame ${at + 1} is all right` : `Frame ${at + 1} goes out`}
      </Button>
    </div>
  );
}
