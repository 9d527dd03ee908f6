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

export const MIDDLE = { x: 0.5, y: 0.5 } as const;
/** Of a place whose light is followed, as a share of the field's width. */
export const RADIUS = 0.012;

/** As large as the mat lets a picture of the sensor's shape be; the mat is a container that knows its size. */
export const FITTED = "relative";
export const FIT: React.CSSProperties = {
  aspectRatio: "var(--field)",
  width: "min(100cqw, calc(100cqh * var(--field)))",
};
