import { hashKey, type QueryKey } from "@tanstack/react-query";

/** What was answered before stands in until the new answer is there, if both are about the same thing: as many parts of
 * their keys are alike. The answer about something else would be taken for this one's. */
export const keptOfSame =
  (key: QueryKey, parts: number) =>
  <T>(before: T | undefined, query: { queryKey: QueryKey } | undefined): T | undefined =>
    query && hashKey(query.queryKey.slice(0, parts)) === hashKey(key.slice(0, parts)) ? before : undefined;
