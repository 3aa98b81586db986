/**
 * Dotted highlights: a light with extent that is drawn from few places shines back from a gloss as so many dots. Told by the
 * same picture with many places: what is there and not in that one, fine as dots are, where no shadow plays into it.
 */
import { luminance } from '../math/color';
import { touchedPixels, type Rect } from './rect';

/** Pixels around which the difference is taken off that is even there: exposure, the fall of light. */
const EVEN = 16;
/** Share of light from which a place counts as unshadowed. */
const UNSHADOWED = 0.95;

/** A picture as the display shows it. */
export interface ShownPicture {
  /** Red, green, blue and one more a pixel, 0…255. */
  codes: Uint8Array | Uint8ClampedArray;
  /** Share of light per pixel, 0…1. */
  lit: Float32Array;
}

/**
 * @param many the same with many places on each light
 * @returns contrast of the dots on the display, root mean square over the unshadowed part of the rectangle, 0…1
 */
export function highlightDots(
  { codes, lit }: ShownPicture,
  many: ShownPicture,
  width: number,
  height: number,
  rect: Rect,
): number {
  const { x0, y0, x1, y1 } = touchedPixels(rect, width, height);
  const [w, h] = [x1 - x0, y1 - y0];
  if (w <= 0 || h <= 0) return 0;
  // sums over everything above and to the left, so that a mean around a pixel takes four of them
  const sums = new Float64Array((w + 1) * (h + 1));
  const counts = new Float64Array((w + 1) * (h + 1));
  const difference = new Float32Array(w * h);
  const counted = new Uint8Array(w * h);
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const p = (y0 + y) * width + x0 + x;
      const k = y * w + x;
      counted[k] = lit[p] >= UNSHADOWED && many.lit[p] >= UNSHADOWED ? 1 : 0;
      difference[k] = counted[k] * (lumaOf(codes, p) - lumaOf(many.codes, p));
      const at = (y + 1) * (w + 1) + x + 1;
      sums[at] = difference[k] + sums[at - 1] + sums[at - w - 1] - sums[at - w - 2];
      counts[at] = counted[k] + counts[at - 1] + counts[at - w - 1] - counts[at - w - 2];
    }
  let [square, n] = [0, 0];
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const k = y * w + x;
      if (counted[k] === 0) continue;
      const [l, t] = [Math.max(0, x - EVEN), Math.max(0, y - EVEN)];
      const [r, b] = [Math.min(w, x + EVEN + 1), Math.min(h, y + EVEN + 1)];
      const over = (s: Float64Array): number =>
        s[b * (w + 1) + r] - s[t * (w + 1) + r] - s[b * (w + 1) + l] + s[t * (w + 1) + l];
      square += (difference[k] - over(sums) / over(counts)) ** 2;
      n++;
    }
  return n > 0 ? Math.sqrt(square / n) / 255 : 0;
}

/** On the codes, as the display shows them. */
function lumaOf(codes: ShownPicture['codes'], pixel: number): number {
  return luminance(codes[pixel * 4], codes[pixel * 4 + 1], codes[pixel * 4 + 2]);
}
