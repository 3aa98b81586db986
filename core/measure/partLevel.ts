/** How much too bright or too dark one part of the light of a place is, such as what has bounced, beside the reference's. */
import type { LightComponent } from '../light/components';
import { luminance } from '../math/color';
import { log, log2 } from '../math/exact';
import type { MeasuredImage } from './imageError';
import { cutPlane, type Rect } from './rect';

/** One part of the light of a place, scene-linear luminance a pixel. */
export interface PlacePart {
  width: number;
  height: number;
  light: Float32Array;
  /** Mean of all of the light there. */
  all: number;
  /** Standard error of all of the light of each pixel; null where the renderer did not say. */
  error: Float32Array | null;
}

export interface PartLevel {
  /** Brighter (+) or darker (−) than the reference's; infinite where one of the two has none. */
  stops: number;
  /** The difference is more than noise, and more than is seen. */
  sure: boolean;
  /** Root mean square of what places of BLOCK pixels a side differ by, as a share of the reference's mean. */
  off: number;
}

/** Pixels along a side within which noise is left out and what is seen as one is kept. */
const BLOCK = 8;
/** Stops below which two places are alike. */
const ALIKE = 0.05;
/** Standard errors of the mean that a difference must exceed. */
const SURE = 4;
/** Times what noise has blocks differ by, below which that is the noise's own: of few samples it is known badly. */
const FLOOR = 1.2;
/** A part that is less than this share of all light is none to speak of. */
const FAINT = 0.02;

/** @returns null where the picture does not say what its light is made of, or the place lies outside of it */
export function placePart(image: MeasuredImage, rect: Rect, part: LightComponent): PlacePart | null {
  const { width, height, rgb, light, error } = image;
  const layer = light?.layers[part];
  const across = Math.max(0, Math.min(width, rect.x + rect.width) - Math.max(0, rect.x));
  const down = Math.max(0, Math.min(height, rect.y + rect.height) - Math.max(0, rect.y));
  if (!layer || across * down === 0) return null;
  const whole = cutPlane(rgb, width, rect, 3);
  let all = 0;
  for (let i = 0; i < whole.length; i += 3) all += luminance(whole[i], whole[i + 1], whole[i + 2]);
  return {
    ...{ width: across, height: down, light: cutPlane(layer, width, rect), all: all / (across * down) },
    error: error ? cutPlane(error, width, rect) : null,
  };
}

/**
 * What a place's part of the light differs by from the reference's. What noise could make alone is not sure: the noise of all
 * of the light there is taken for that of the part, which has no more.
 * @returns null where neither has any of it to speak of @throws RangeError where the two are not of one size
 */
export function partLevel(mine: PlacePart, reference: PlacePart): PartLevel | null {
  const { width, height } = reference;
  if (mine.width !== width || mine.height !== height) throw new RangeError('The two places differ in size.');
  const [a, b] = [mean(mine.light), mean(reference.light)];
  if (!(a >= FAINT * mine.all && a > 0) && !(b >= FAINT * reference.all && b > 0)) return null;
  const stops = a > 0 && b > 0 ? log2(a / b) : a > 0 ? Infinity : -Infinity;
  const noise = Math.hypot(errorOfMean(mine), errorOfMean(reference));
  const sure = Math.abs(stops) > ALIKE && Math.abs(a - b) > SURE * noise && Math.abs(a - b) > ALIKE * log(2) * b;
  return { stops, sure, off: offOf(mine, reference, b) };
}

function mean(values: Float32Array): number {
  let sum = 0;
  for (let i = 0; i < values.length; i++) sum += values[i];
  return values.length > 0 ? sum / values.length : 0;
}

/** Standard error of the mean of a place. */
function errorOfMean({ error }: PlacePart): number {
  if (!error) return 0;
  let squares = 0;
  for (let i = 0; i < error.length; i++) squares += error[i] * error[i];
  return Math.sqrt(squares) / (error.length || 1);
}

/** What blocks differ by, without what noise alone would have them differ by. */
function offOf(mine: PlacePart, reference: PlacePart, level: number): number {
  const { width, height } = reference;
  let [sum, noise, blocks] = [0, 0, 0];
  for (let y0 = 0; y0 < height; y0 += BLOCK)
    for (let x0 = 0; x0 < width; x0 += BLOCK) {
      let [difference, squares, pixels] = [0, 0, 0];
      for (let y = y0; y < Math.min(height, y0 + BLOCK); y++)
        for (let x = x0; x < Math.min(width, x0 + BLOCK); x++) {
          const i = y * width + x;
          difference += mine.light[i] - reference.light[i];
          squares += (mine.error?.[i] ?? 0) ** 2 + (reference.error?.[i] ?? 0) ** 2;
          pixels++;
        }
      sum += (difference / pixels) ** 2;
      noise += squares / pixels ** 2;
      blocks++;
    }
  if (!(level > 0)) return Infinity;
  return sum > FLOOR * FLOOR * noise ? Math.sqrt((sum - noise) / blocks) / level : 0;
}

/** In few characters: stops with a sign, ≈ inside the noise, and a word where one of the two has none. */
export function levelInStops({ stops, sure }: PartLevel): string {
  if (!sure) return '≈';
  if (!Number.isFinite(stops)) return stops < 0 ? 'none' : 'too much';
  return `${stops < 0 ? '−' : '+'}${Math.abs(stops).toFixed(2)}`;
}

/** Such as “0.62 stop too dark”. @param part as it is named in a sentence */
export function levelInWords(level: PartLevel | null, part: string): string {
  if (!level) return `Neither has ${part} to speak of here.`;
  const { stops, sure } = level;
  if (!sure) return `As bright in ${part} as the reference, as far as noise lets one say.`;
  if (stops === -Infinity) return `No ${part} at all, where the reference has some.`;
  if (stops === Infinity) return `There is ${part} where the reference has none.`;
  const size = Math.abs(stops).toFixed(2);
  return `${size} ${size === '1.00' || Math.abs(stops) < 1 ? 'stop' : 'stops'} too ${stops < 0 ? 'dark' : 'bright'} in ${part}.`;
}
