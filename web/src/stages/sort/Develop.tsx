import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useDeferredValue, useEffect, useState } from "react";
import { api, type Development, type Frame, type Stack, type Take } from "../../client/api";
import { refresh } from "../../client/live";
import { Button } from "../../ui/Button";
import { Choice } from "../../ui/Choice";
import { Failures, Notice } from "../../ui/Notice";
import { Range } from "../../ui/Range";
import { GreyCard } from "./GreyCard";

const PLAIN: Development = {
  white_balance: "as_shot",
  exposure_stops: 0,
  black: 0,
  highlights: 0,
  shadows: 0,
  tone: "display",
};
const NEUTRAL_PX = 16;

const signed = (value: number) => `${value > 0 ? "+" : ""}${value.toFixed(2)}`.replace("-", "−");
const CONTROLS = [
  {
    part: "exposure_stops",
    label: "Exposure",
    least: -3,
    most: 3,
    step: 0.05,
    told: (value: number) => `${signed(value)} stops`,
  },
  {
    part: "black",
    label: "Black",
    least: 0,
    most: 0.25,
    step: 0.005,
    told: (value: number) => `${(100 * value).toFixed(1)} %`,
  },
  { part: "highlights", label: "Highlights", least: -1, most: 1, step: 0.05, told: signed },
  { part: "shadows", label: "Shadows", least: -1, most: 1, step: 0.05, told: signed },
] as const;

interface Props {
  stack: Stack;
  take: Take;
  frame: Frame;
}

/** One development for all frames of a take: tried on the frame that is chosen, then set for all. */
export function Develop({ stack, take, frame }: Props) {
  const queries = useQueryClient();
  const kept = asDevelopment(take.development);
  const [draft, setDraft] = useState<Development>(kept ?? PLAIN);
  const [picking, setPicking] = useState(false);
  const [card, setCard] = useState(false);
  // Set elsewhere, or undone: the draft follows.
  const told = JSON.stringify(kept);
  useEffect(() => setDraft((JSON.parse(told) as Development | null) ?? PLAIN), [told]);
  const asked = useDeferredValue(draft);
  const shown = useQuery({
    queryKey: ["developed", take.id, frame.id, asked],
    queryFn: () => api.tryDevelopment(take.id, frame.id, asked),
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 30_000,
  });
  const url = useUrl(shown.data);
  const set = useMutation({
    mutationFn: (development: Development | null) => api.setDevelopment(take.id, development),
    onSuccess: () => refresh(queries),
  });
  const changed = JSON.stringify(draft) !== JSON.stringify(kept ?? PLAIN);
  const change = (part: Partial<Development>) => setDraft({ ...draft, ...part });
  const place = draft.white_balance === "as_shot" ? null : draft.white_balance;
  const pick = (event: React.MouseEvent<HTMLElement>) => {
    const area = event.currentTarget.getBoundingClientRect();
    const byKey = event.detail === 0;
    const across = byKey ? 0.5 : (event.clientX - area.left) / area.width;
    const down = byKey ? 0.5 : (event.clientY - area.top) / area.height;
    const x = Math.round(across * frame.width_px);
    const y = Math.round(down * frame.height_px);
    setPicking(false);
    change({ white_balance: { file: frame.name, x, y, size_px: NEUTRAL_PX } });
  };
  return (
    <section
      aria-label="Development"
      className="flex min-h-0 min-w-0 flex-col gap-2 overflow-y-auto border-rule border-l p-4"
    >
      <div className="flex items-center justify-between gap-3">
        <h2 className="min-w-0 truncate text-[1.0625rem]">{frame.name}</h2>
        {!changed && (
          <Link
            to="/stacks/$stackId/$stage"
            params={{ stackId: String(stack.id), stage: "merge" }}
            search
            className="head inline-flex min-h-11 shrink-0 items-center rounded-s border border-amber bg-amber-fill px-4 text-on-amber hover:brightness-95"
          >
            On to Merge
          </Link>
        )}
      </div>
      <div className="relative bg-mat">
        {url &&
          (picking ? (
            <button
              type="button"
              aria-label="Click a place that is grey in truth; Enter takes the middle"
              className="block w-full cursor-crosshair"
              onClick={pick}
            >
              <img alt="" className="w-full" src={url} />
            </button>
          ) : (
            <img alt={`${frame.name}, developed`} className="w-full" src={url} />
          ))}
        {!url && !shown.isError && <p className="p-4 text-white">Developing …</p>}
        {place && place.file === frame.name && (
          <span
            aria-hidden="true"
            className="pointer-events-none absolute size-4 -translate-x-1/2 -translate-y-1/2 border-2 border-white outline outline-black"
            style={{
              left: `${(100 * place.x) / frame.width_px}%`,
              top: `${(100 * place.y) / frame.height_px}%`,
            }}
          />
        )}
      </div>
      <Failures of={[shown.error, set.error]} />
      <div>
        <p className="pb-1">
          White balance:{" "}
          <span className="text-ink2">
            {place ? `neutral at ${Math.round(place.x)}, ${Math.round(place.y)} of ${place.file}` : "as shot"}
          </span>
        </p>
        <div className="flex flex-wrap gap-2">
          <Button className="px-3" aria-pressed={picking} onClick={() => setPicking(!picking)}>
            {picking ? "Click it in the picture" : "Neutral place"}
          </Button>
          {take.source === "card" && (
            <Button className="px-3" onClick={() => setCard(true)}>
              Grey card
            </Button>
          )}
          {place && (
            <Button className="px-3" onClick={() => change({ white_balance: "as_shot" })}>
              As shot
            </Button>
          )}
        </div>
      </div>
      <GreyCard
        take={take}
        open={card}
        onClose={() => setCard(false)}
        onPlace={(white_balance) => {
          setCard(false);
          change({ white_balance });
        }}
      />
      {CONTROLS.map(({ part, told, ...control }) => (
        <Range
          key={part}
          {...control}
          value={draft[part] ?? 0}
          told={told(draft[part] ?? 0)}
          onChange={(value) => change({ [part]: value })}
        />
      ))}
      <Choice
        beside
        label="Tone"
        value={draft.tone ?? "display"}
        options={[
          { value: "display", label: "for a display" },
          { value: "linear", label: "linear light" },
        ]}
        onChange={(tone) => change({ tone: tone as Development["tone"] })}
      />
      <div className="flex flex-wrap gap-2">
        {changed && (
          <Button look="next" disabled={set.isPending} onClick={() => set.mutate(draft)}>
            Set for all {take.frames.length} frames
          </Button>
        )}
        {changed && <Button onClick={() => setDraft(kept ?? PLAIN)}>Back to what is set</Button>}
        {kept && (
          <Button disabled={set.isPending} onClick={() => set.mutate(null)}>
            Frames as they are
          </Button>
        )}
      </div>
      <Notice kind="hint">
        {kept ? "Every merge to come uses it; those that are there stay. " : ""}
        Sharpening, local contrast and noise reduction come after the merge: before it, they change what tells
        sharp from soft.
      </Notice>
    </section>
  );
}

/** What a take keeps, without what it came to. */
function asDevelopment(kept: Take["development"]): Development | null {
  if (!kept) return null;
  const { multipliers: _, ...development } = kept as Record<string, unknown>;
  return { ...PLAIN, ...development } as Development;
}

/** An address for a picture in memory, given back when it is no longer shown. */
function useUrl(blob: Blob | undefined): string | undefined {
  const [url, setUrl] = useState<string>();
  useEffect(() => {
    if (!blob) return;
    const made = URL.createObjectURL(blob);
    setUrl(made);
    return () => URL.revokeObjectURL(made);
  }, [blob]);
  return url;
}
