// Where pictures lie.

export const cardFileUrl = (id: number, file: "thumb.jpg" | "picture.jpg") => `/api/card-files/${id}/${file}`;

/** Where a measure was taken. */
export const measurePlace = (measure_id: number) => `/api/measures/${measure_id}/place.jpg`;

/** The picture that lies on a relief, or a part of it. */
export const reliefPicture = (
  merge_id: number,
  part?: { x: number; y: number; width: number; height: number },
) =>
  `/api/merges/${merge_id}/relief.jpg${part ? `?x=${part.x}&y=${part.y}&width=${part.width}&height=${part.height}` : ""}`;

export type PictureKind = "composite" | "depth" | "frame";
export const pictureUrl = (
  kind: PictureKind,
  id: number,
  file: "preview.jpg" | "thumb.jpg" | "sharp.jpg" | "picture.dzi",
) => `/api/pictures/${kind}/${id}/${file}`;
