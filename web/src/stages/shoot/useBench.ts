import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect } from "react";
import { api, type Bench } from "../../client/api";

/** The bench, set up for this stack. `act` runs one of its orders and shows what it refuses. */
export function useBench(stackId: number) {
  const queries = useQueryClient();
  const bench = useQuery({ queryKey: ["bench"], queryFn: api.bench });
  const setUp = useMutation({
    mutationFn: () => api.setUpBench(stackId),
    onSuccess: async (now) => {
      // An older answer that is still on its way must not come after this one.
      await queries.cancelQueries({ queryKey: ["bench"] });
      queries.setQueryData(["bench"], now);
    },
  });
  const { mutate } = setUp;
  useEffect(() => mutate(), [mutate]);
  // A server that was started anew has forgotten what it was set up for.
  const forgotten = bench.data?.stack_id === null && bench.data.busy === null;
  useEffect(() => {
    if (forgotten) mutate();
  }, [forgotten, mutate]);

  const acting = useMutation({
    mutationFn: (order: () => Promise<unknown>) => order(),
    onSuccess: (now) => {
      if (now && typeof now === "object" && "rail" in now) queries.setQueryData(["bench"], now as Bench);
      else void queries.invalidateQueries({ queryKey: ["bench"] });
      void queries.invalidateQueries({ queryKey: ["stack", stackId] });
    },
    onError: () => void queries.invalidateQueries({ queryKey: ["bench"] }),
  });
  const { mutate: act } = acting;
  const order = useCallback((work: () => Promise<unknown>) => act(work), [act]);
  return {
    bench: bench.data,
    mine: bench.data?.stack_id === stackId,
    settingUp: setUp.isPending,
    setUp: mutate,
    refused: acting.error ?? setUp.error,
    busy: acting.isPending,
    act: order,
  };
}
