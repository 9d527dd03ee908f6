/** A list by name with one entry new or changed, so that it can be shown before the list is fetched again. */
export function withSaved<T extends { id: number; name: string }>(
  all: readonly T[] | undefined,
  saved: T,
): T[] {
  const others = (all ?? []).filter((one) => one.id !== saved.id);
  return [...others, saved].sort((a, b) => a.name.localeCompare(b.name));
}
