/** A surface as the server sends it: corners in µm (to the right, up, towards the camera), and where they are in the picture. */
export interface Surface {
  corners: Float32Array;
  places: Float32Array;
  triangles: Uint32Array;
  /** Px of the picture from one corner to the next. */
  everyPx: number;
}

/** A rectangle of the picture, px. */
export interface Part {
  x: number;
  y: number;
  width: number;
  height: number;
}

const HEAD = 3;

/** Read what the server sends: three counts, corners, places, triangles, one after the other. */
export function surfaceOf(buffer: ArrayBuffer): Surface {
  const [corners, triangles, everyPx] = new Uint32Array(buffer, 0, HEAD) as unknown as [
    number,
    number,
    number,
  ];
  let at = HEAD * 4;
  const next = (bytes: number) => {
    const from = at;
    at += bytes;
    return from;
  };
  return {
    corners: new Float32Array(buffer, next(corners * 12), corners * 3),
    places: new Float32Array(buffer, next(corners * 8), corners * 2),
    triangles: new Uint32Array(buffer, next(triangles * 12), triangles * 3),
    everyPx,
  };
}

/** A length of one, two or five times a power of ten that is no longer than this. */
export function roundLength(most: number): number {
  const ten = 10 ** Math.floor(Math.log10(most));
  return ([5, 2, 1].find((one) => one * ten <= most) ?? 1) * ten;
}
