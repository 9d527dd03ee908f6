import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../../client/api";
import { trimmed } from "../../lib/numbers";
import { useContours } from "../../pictures/Contours";
import { Choice } from "../../ui/Choice";
import { Check } from "../../ui/Field";
import { OneOf } from "../../ui/OneOf";

export type Seen = "composite" | "depth" | "relief";

const WAYS = [
  { value: "composite", label: "Picture" },
  { value: "depth", label: "Depth" },
  { value: "relief", label: "Relief" },
] as const;

/** How a merge is seen while it is measured, and what is needed for it. */
export function useSeen(mergeId: number, hasDepth: boolean) {
  const [seen, setSeen] = useState<Seen>("composite");
  const [lined, setLined] = useState(false);
  const [step, setStep] = useState<number | null>(null);
  const lines = useContours(mergeId, hasDepth && lined, step ?? undefined);
  // What was proposed stays the middle of what can be chosen.
  const proposed = useContours(mergeId, hasDepth && lined).data?.step ?? null;
  const legend = useQuery({
    queryKey: ["depth", mergeId],
    queryFn: () => api.depthOf(mergeId),
    enabled: hasDepth && seen !== "composite",
    staleTime: Number.POSITIVE_INFINITY,
  });
  return {
    seen,
    setSeen,
    lined,
    setLined,
    steps: proposed === null ? [] : [0.1, 0.2, 0.5, 1, 2].map((one) => round(one * proposed)),
    setStep,
    legend: legend.data,
    /** Contour lines every so many µm, where they are wanted and known. */
    every: lined ? (lines.data?.step ?? null) : null,
  };
}

const round = (value: number) => Number(value.toPrecision(2));

export function SeenAs({
  seen,
  setSeen,
  lined,
  setLined,
  every,
  steps,
  setStep,
}: ReturnType<typeof useSeen>) {
  return (
    <>
      <OneOf label="Seen as" value={seen} options={WAYS} onChange={setSeen} />
      <Check label="Contour lines" checked={lined} onChange={setLined} />
      {lined && every !== null && (
        <div className="w-32">
          <Choice
            beside
            label="every"
            value={String(every)}
            options={steps.map((one) => ({ value: String(one), label: `${trimmed(String(one))} µm` }))}
            onChange={(one) => setStep(Number(one))}
          />
        </div>
      )}
    </>
  );
}
