import type { CabinetRow } from "../../client/api";

/** What the cabinet can be sorted by. */
export const COLUMNS = [
  { key: "specimen", label: "Specimen" },
  { key: "rig", label: "Rig" },
  { key: "aperture", label: "Eff. aperture" },
  { key: "step", label: "Step" },
  { key: "scale", label: "Scale" },
  { key: "stacks", label: "Stacks" },
  { key: "done", label: "Plan to record" },
  { key: "worked", label: "Last work" },
] as const;

export interface Order {
  by: (typeof COLUMNS)[number]["key"];
  descending: boolean;
}

const VALUES: Record<Order["by"], (row: CabinetRow) => string | number | null> = {
  specimen: ({ specimen }) => `${specimen.catalogue_number} ${specimen.name}`,
  rig: ({ stack }) => stack?.rig_name ?? null,
  aperture: ({ stack }) => stack?.effective_f_number ?? null,
  step: ({ stack }) => stack?.step_um ?? null,
  scale: ({ stack }) => stack?.pixel_um ?? null,
  stacks: ({ stacks }) => stacks.length,
  done: ({ stack }) => stack?.stages.filter((stage) => stage.done).length ?? -1,
  worked: ({ worked_at }) => worked_at,
};

/** The rows in an order; what has no value comes last either way. */
export function sorted(rows: CabinetRow[], { by, descending }: Order): CabinetRow[] {
  const value = VALUES[by];
  const sign = descending ? -1 : 1;
  return rows.toSorted((a, b) => {
    const [one, other] = [value(a), value(b)];
    if (one === null || other === null) return Number(one === null) - Number(other === null);
    if (typeof one === "number" && typeof other === "number") return sign * (one - other);
    return sign * String(one).localeCompare(String(other), "en", { numeric: true });
  });
}
