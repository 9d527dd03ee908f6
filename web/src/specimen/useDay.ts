import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type DayChange, type DayEntry } from "../client/api";
import { show } from "../client/live";

const AGAIN_MS = 20_000;

/** The list of a date, which goes on with the clock, and what changes it. */
export function useDay(on: string) {
  const queries = useQueryClient();
  const key = ["day", on];
  const day = useQuery({ queryKey: key, queryFn: () => api.day(on), refetchInterval: AGAIN_MS });
  const take = {
    onSuccess: (told: DayChange) => show(queries, key, told.day),
    onError: () => queries.invalidateQueries({ queryKey: key }),
  };
  const change = useMutation({ mutationFn: (entry: DayEntry) => api.changeDay(on, entry), ...take });
  const order = useMutation({ mutationFn: (seen: number) => api.orderDay(on, seen), ...take });
  return { day, change, order };
}
