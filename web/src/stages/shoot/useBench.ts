import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef } from "react";
import { api, type Bench } from "../../client/api";
import { show } from "../../client/live";

/** The bench, set up for this stack. `act` runs one of its orders and shows what it refuses. */
export function useBench(stackId: number) {
  const queries = useQueryClient();
  const bench = useQuery({ queryKey: ["bench"], queryFn: api.bench });
  const setUp = useMutation({
    mutationFn: () => api.setUpBench(stackId),
    onSuccess: (now) => show(queries, ["bench"], now),
  });
  const { mutate } = setUp;
  // A bench that works for another stack is left to it; one that rests is set up when this page opens.
  const known = bench.data !== undefined;
  const resting = bench.data?.busy === null || bench.data?.busy === "moving";
  const free = useRef(false);
  const others = Boolean(bench.data?.claim && !bench.data.claim.mine);
  free.current = !others && (resting || bench.data?.stack_id === stackId);
  useEffect(() => {
    if (known && free.current) mutate();
  }, [known, mutate]);
  // A server that was started anew has forgotten what it was set up for.
  const forgotten = bench.data?.stack_id === null && resting;
  useEffect(() => {
    if (forgotten) mutate();
  }, [forgotten, mutate]);

  const acted = {
    mutationFn: (order: () => Promise<unknown>) => order(),
    onSuccess: async (now: unknown) => {
      if (now && typeof now === "object" && "rail" in now) await show(queries, ["bench"], now as Bench);
      // Even so: it works on meanwhile, and what an event brought may have been overtaken by this answer.
      void queries.invalidateQueries({ queryKey: ["bench"] });
      void queries.invalidateQueries({ queryKey: ["stack", stackId] });
    },
    onError: () => void queries.invalidateQueries({ queryKey: ["bench"] }),
  };
  // Orders arrive in the order in which they were given: two keys pressed quickly must not overtake each other.
  const acting = useMutation({ ...acted, scope: { id: "bench" } });
  // A stop waits for nothing.
  const stopping = useMutation(acted);
  const { mutate: act } = acting;
  const { mutate: atOnce } = stopping;
  const order = useCallback(
    (work: () => Promise<unknown>) => (work === api.halt ? atOnce : act)(work),
    [act, atOnce],
  );
  return {
    bench: bench.data,
    mine: bench.data?.stack_id === stackId,
    settingUp: setUp.isPending,
    setUp: mutate,
    refused: acting.error ?? stopping.error ?? setUp.error,
    busy: acting.isPending,
    act: order,
    atOnce,
  };
}
