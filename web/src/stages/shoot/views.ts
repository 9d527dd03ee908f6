/** What the middle of the stage can show. */
export const VIEWS = [
  { key: "live", label: "Live" },
  { key: "growing", label: "Growing picture" },
  { key: "depth", label: "Depth" },
  { key: "frame", label: "Frame" },
  { key: "test", label: "Test frame" },
] as const;
export type View = (typeof VIEWS)[number]["key"];

/** What is drawn over the live view. */
export interface Marks {
  edges: boolean;
  grid: boolean;
  border: boolean;
}
