import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type ExerciseSet, type Practice, type Schemas } from "../../client/api";
import { plural } from "../../lib/numbers";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Check, NumberField, TextField } from "../../ui/Field";
import { FileButton } from "../../ui/FileButton";
import { Notice } from "../../ui/Notice";
import { Panel } from "../../ui/Panel";
import { levelNames } from "./PracticePlace";

type Item = ExerciseSet["exercises"][number];

interface Props {
  exercises: Practice["exercises"];
  levels: number;
  onBegin: (entry: Schemas["AttemptEntry"]) => void;
}

/** Exercises that a trainer put together: always the same ones, brought and given as a file. */
export function Sets({ exercises, levels, onBegin }: Props) {
  const [brought, setBrought] = useState<ExerciseSet | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const [making, setMaking] = useState(false);
  const titleOf = (kind: string) => exercises.find((one) => one.key === kind)?.title ?? kind;
  const bring = async ([file]: File[]) => {
    if (!file) return;
    try {
      setBrought(await api.checkExercises(JSON.parse(await file.text())));
      setTrouble(null);
    } catch (error) {
      setBrought(null);
      setTrouble(
        error instanceof SyntaxError
          ? `${file.name} is no file of exercises: it is not JSON.`
          : `${file.name}: ${(error as Error).message}`,
      );
    }
  };
  return (
    <section aria-label="Exercises from a trainer" className="mt-4">
      <h2 className="text-[1rem]">From a trainer</h2>
      <p className="text-[0.875rem] text-ink2">
        Always the same exercises, for whoever does them, as a file.
      </p>
      <div className="mt-1 flex flex-wrap gap-2">
        <FileButton label="File of exercises" accept=".json" onFiles={(files) => void bring(files)}>
          Bring a file
        </FileButton>
        <Button onClick={() => setMaking(true)}>Put some together</Button>
      </div>
      {trouble && <Notice kind="fault">{trouble}</Notice>}
      {brought && (
        <ol aria-label={brought.title} className="mt-2">
          {brought.exercises.map((one, n) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: an exercise is its place in the file
            <li key={n} className="flex items-center gap-3 border-rule border-b py-1.5">
              <span className="min-w-0 flex-1">
                {titleOf(one.kind)}, level {one.level}
                {one.note && <span className="block text-[0.875rem] text-ink2">{one.note}</span>}
              </span>
              <Button aria-label={`Begin ${n + 1}: ${titleOf(one.kind)}`} onClick={() => onBegin(one)}>
                Begin
              </Button>
            </li>
          ))}
        </ol>
      )}
      <Panel title="Exercises for others" open={making} onClose={() => setMaking(false)}>
        <Making exercises={exercises} levels={levels} titleOf={titleOf} />
      </Panel>
    </section>
  );
}

interface MakingProps {
  exercises: Practice["exercises"];
  levels: number;
  titleOf: (kind: string) => string;
}

function Making({ exercises, levels, titleOf }: MakingProps) {
  const scenes = useQuery({ queryKey: ["scenes"], queryFn: api.scenes, staleTime: Number.POSITIVE_INFINITY });
  const flaws = useQuery({ queryKey: ["flaws"], queryFn: api.flaws, staleTime: Number.POSITIVE_INFINITY });
  const [title, setTitle] = useState("");
  const [items, setItems] = useState<Item[]>([]);
  const [kind, setKind] = useState(exercises[0]?.key ?? "");
  const [level, setLevel] = useState("1");
  const [specimen, setSpecimen] = useState("drawn");
  const [on, setOn] = useState<ReadonlySet<string>>(new Set());
  const [note, setNote] = useState("");
  const [minutes, setMinutes] = useState<number | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);
  const add = () => {
    const item: Item = {
      kind,
      level: Number(level),
      seed: crypto.getRandomValues(new Uint32Array(1))[0] ?? 0,
      specimen: specimen === "drawn" ? null : specimen,
      flaws: [...on],
      note,
      limit_s: minutes === null ? null : Math.round(60 * minutes),
    };
    setItems([...items, { ...item, seed: item.seed % 2 ** 31 }]);
    setNote("");
  };
  const save = async () => {
    try {
      const checked = await api.checkExercises({
        format: "amber-ladder exercises 1",
        title,
        exercises: items,
      });
      const link = document.createElement("a");
      link.href = URL.createObjectURL(
        new Blob([JSON.stringify(checked, null, 2)], { type: "application/json" }),
      );
      link.download = `${title.replace(/[^\w-]+/g, "-")}.json`;
      link.click();
      URL.revokeObjectURL(link.href);
      setTrouble(null);
    } catch (error) {
      setTrouble((error as Error).message);
    }
  };
  return (
    <>
      <TextField label="What they are called" value={title} onChange={setTitle} required />
      <ol aria-label="Put together so far">
        {items.map((one, n) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: an exercise is its place in the list
          <li key={n} className="flex items-center gap-3 border-rule border-b py-1.5">
            <span className="min-w-0 flex-1">
              {titleOf(one.kind)}, level {one.level}
              {one.note && <span className="block text-[0.875rem] text-ink2">{one.note}</span>}
            </span>
            <Button look="quiet" onClick={() => setItems(items.filter((_, other) => other !== n))}>
              Take out
            </Button>
          </li>
        ))}
      </ol>
      <Choice
        label="Exercise"
        value={kind}
        options={exercises.map((one) => ({ value: one.key, label: one.title }))}
        onChange={setKind}
      />
      <Choice label="Level" value={level} options={levelNames(levels)} onChange={setLevel} />
      <Choice
        label="Specimen"
        value={specimen}
        options={[
          { value: "drawn", label: "drawn" },
          ...(scenes.data ?? []).map((one) => ({ value: one.key, label: one.name })),
        ]}
        onChange={setSpecimen}
      />
      <fieldset className="mt-2">
        <legend className="head text-[1rem]">Faults, instead of those of the level</legend>
        {(flaws.data ?? [])
          .filter((flaw) => !flaw.at_the_bench)
          .map((flaw) => (
            <Check
              key={flaw.key}
              label={flaw.name}
              checked={on.has(flaw.key)}
              onChange={() => {
                const next = new Set(on);
                if (!next.delete(flaw.key)) next.add(flaw.key);
                setOn(next);
              }}
            />
          ))}
      </fieldset>
      <NumberField label="Time for it" unit="min" value={minutes} optional onChange={setMinutes} />
      <TextField label="What to mind" value={note} onChange={setNote} />
      <Button className="mt-2 w-full" onClick={add}>
        Add it
      </Button>
      {trouble && <Notice kind="fault">{trouble}</Notice>}
      <Button
        look="next"
        className="mt-2 w-full"
        disabled={items.length === 0 || title.trim() === ""}
        onClick={() => void save()}
      >
        {items.length === 0 ? "Add one first" : `Save ${plural(items.length, "exercise")} as a file`}
      </Button>
    </>
  );
}
