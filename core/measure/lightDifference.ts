/** What a difference of brightness is made of, in a sentence: which part of the light is missing or too much. */
import { byComponent, LIGHT_COMPONENTS, type LightComponent } from '../light/components';
import { luminance } from '../math/color';
import { log, log2 } from '../math/exact';
import type { ErrorFigures, MeasuredImage } from './imageError';
import type { Rect } from './rect';

/** Mean scene-linear luminance of a place, whole and by part. */
export interface PlaceLight {
  pixels: number;
  all: number;
  /** Null where the picture does not say what its light is made of. */
  parts: Record<LightComponent, number> | null;
}

const NAMES: Record<LightComponent, string> = {
  direct: 'direct light is',
  bounce: 'bounced light is',
  reflection: 'mirrored light is',
  emission: 'glow and background are',
};

/** Stops below which two places are alike. */
const ALIKE = 0.05;
/** A part is named when it explains this share of the difference, or of the reference where others make up for it. */
const WORTH_NAMING = 0.25;
/** Below this share of the reference's a part is missing. */
const MISSING = 0.1;
/** Standard errors of the mean that a difference must exceed. */
const SURE = 3;
/** Times the noise floor below which a difference is the noise's own. */
const FLOOR = 1.2;

export function placeLight(image: MeasuredImage, rect: Rect): PlaceLight {
  const { width, height, rgb, light } = image;
  let [pixels, all] = [0, 0];
  const sums = byComponent(() => 0);
  for (let y = Math.max(0, rect.y); y < Math.min(height, rect.y + rect.height); y++) {
    for (let x = Math.max(0, rect.x); x < Math.min(width, rect.x + rect.width); x++) {
      const i = y * width + x;
      all += luminance(rgb[i * 3], rgb[i * 3 + 1], rgb[i * 3 + 2]);
      if (light) for (const part of LIGHT_COMPONENTS) sums[part] += light.layers[part][i];
      pixels++;
    }
  }
  for (const part of LIGHT_COMPONENTS) sums[part] /= pixels || 1;
  return { pixels, all: all / (pixels || 1), parts: light ? sums : null };
}

/**
 * Says how a place differs from the reference's, never more than the reference's noise lets one say.
 * @param figures of the same place
 */
export function differenceInWords(mine: PlaceLight, reference: PlaceLight, figures: ErrorFigures): string {
  if (figures.floor > 0 && figures.rmse <= figures.floor * FLOOR)
    return 'No difference that the noise of the reference would not make alone.';
  if (!(mine.all > 0) || !(reference.all > 0)) return '';
  const stops = log2(mine.all / reference.all);
  const error = figures.floor / (Math.sqrt(reference.pixels) * reference.all * log(2));
  const sure = Math.abs(stops) > Math.max(ALIKE, SURE * error);
  const named = namedParts(mine, reference, sure ? reference.all - mine.all : 0);
  const brightness = sure
    ? `${Math.abs(stops).toFixed(2)} stop ${stops < 0 ? 'darker' : 'brighter'} than the reference`
    : 'As bright as the reference';
  if (named.length === 0) return `${brightness}${sure && mine.parts && reference.parts ? ', all parts alike' : ''}.`;
  return `${brightness}${sure ? ': ' : ', but not by the same light: '}${named.join('; ')}.`;
}

/** Parts that explain a difference, the most of it first. @param missing luminance, 0 where the wholes are alike */
function namedParts(mine: PlaceLight, reference: PlaceLight, missing: number): string[] {
  const [a, b] = [mine.parts, reference.parts];
  if (!a || !b) return [];
  const least = WORTH_NAMING * (missing === 0 ? reference.all : Math.abs(missing));
  return LIGHT_COMPONENTS.map((part) => ({ part, lacks: b[part] - a[part] }))
    .filter(({ lacks }) => Math.abs(lacks) >= least && (missing === 0 || lacks > 0 === missing > 0))
    .sort((p, q) => Math.abs(q.lacks) - Math.abs(p.lacks))
    .map(({ part, lacks }) => {
      const share = b[part] > 0 ? a[part] / b[part] : Infinity;
      if (lacks < 0) {
        if (share > 10) return `${NAMES[part]} not in the reference at all`;
        return `${NAMES[part]} ${share.toFixed(1)} × the reference’s`;
      }
      if (share < MISSING) return `${NAMES[part]} missing`;
      return `${NAMES[part]} ${Math.round(share * 100)} % of the reference’s`;
    });
}
