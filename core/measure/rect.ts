/** A part of a picture in pixels; may reach beyond it. */
export interface Rect {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** A part that is given in shares of the picture, in pixels. */
export function inPixels(share: Rect, width: number, height: number): Rect {
  return { x: share.x * width, y: share.y * height, width: share.width * width, height: share.height * height };
}

/** The same in whole pixels: at least one. */
export function pixelRect(share: Rect, width: number, height: number): Rect {
  const rect = inPixels(share, width, height);
  return {
    x: Math.round(rect.x),
    y: Math.round(rect.y),
    width: Math.max(1, Math.round(rect.width)),
    height: Math.max(1, Math.round(rect.height)),
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

/**
 * What of a picture lies in a rectangle; what of that lies beyond the picture is left out.
 * @param width of the picture @param numbers a pixel
 */
export function cutPlane(plane: Float32Array, width: number, rect: Rect, numbers = 1): Float32Array {
  const x0 = Math.max(0, rect.x);
  const x1 = Math.min(width, rect.x + rect.width);
  const y0 = Math.max(0, rect.y);
  const y1 = Math.min(plane.length / (width * numbers), rect.y + rect.height);
  const across = Math.max(0, x1 - x0) * numbers;
  const out = new Float32Array(across * Math.max(0, y1 - y0));
  for (let y = y0; y < y1; y++)
    out.set(plane.subarray((y * width + x0) * numbers, (y * width + x1) * numbers), (y - y0) * across);
  return out;
}
