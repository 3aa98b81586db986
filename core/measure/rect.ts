/** A part of a picture in pixels; may reach beyond it. */
export interface Rect {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** A part that is given in shares of the picture, in whole pixels: at least one. */
export function pixelRect(share: Rect, width: number, height: number): Rect {
  return {
    x: Math.round(share.x * width),
    y: Math.round(share.y * height),
    width: Math.max(1, Math.round(share.width * width)),
    height: Math.max(1, Math.round(share.height * height)),
  };
}

/** The whole pixels of a picture that a part touches: from the first, up to before the last. */
export function touchedPixels({ x, y, width, height }: Rect, across: number, down: number) {
  return {
    x0: Math.max(0, Math.floor(x)),
    y0: Math.max(0, Math.floor(y)),
    x1: Math.min(across, Math.ceil(x + width)),
    y1: Math.min(down, Math.ceil(y + height)),
  };
}

/** What of a plane lies in a rectangle; what of that lies beyond the plane is left out. @param width of the plane */
export function cutPlane(plane: Float32Array, width: number, rect: Rect): Float32Array {
  const x0 = Math.max(0, rect.x);
  const x1 = Math.min(width, rect.x + rect.width);
  const y0 = Math.max(0, rect.y);
  const y1 = Math.min(plane.length / width, rect.y + rect.height);
  const across = Math.max(0, x1 - x0);
  const out = new Float32Array(across * Math.max(0, y1 - y0));
  for (let y = y0; y < y1; y++) out.set(plane.subarray(y * width + x0, y * width + x1), (y - y0) * across);
  return out;
}

/** What of a picture of three numbers a pixel lies in a rectangle that lies in it. */
export function cutRgb(rgb: Float32Array, width: number, rect: Rect): Float32Array {
  const out = new Float32Array(rect.width * rect.height * 3);
  for (let y = 0; y < rect.height; y++) {
    const from = ((rect.y + y) * width + rect.x) * 3;
    out.set(rgb.subarray(from, from + rect.width * 3), y * rect.width * 3);
  }
  return out;
}
