/** Shadow rays of a wave: how much of what they bring comes through. */
import { luminance } from '../../math/color';
import { traceShadow } from '../traceShadow';
import { clamped } from './bookPaths';
import { HOME, H_LIGHT, H_LIT, SHADOW, home, lit, place, shadow, shadowSlot, type PathInput } from './pathState';

export function occlude(input: PathInput, count: number): void {
  for (let k = 0; k < count; k++) {
    const s = k * SHADOW;
    const i = shadowSlot[k];
    place.x = shadow[s];
    place.y = shadow[s + 1];
    place.z = shadow[s + 2];
    place.fx = shadow[s + 3];
    place.fy = shadow[s + 4];
    place.fz = shadow[s + 5];
    lit[0] = lit[1] = lit[2] = 1;
    const length = shadow[s + 9];
    if (length > 0) traceShadow(input.shadows, place, shadow[s + 6], shadow[s + 7], shadow[s + 8], length, lit);
    const depth = shadow[s + 17];
    const o = i * HOME;
    if (shadow[s + 16] === 1) {
      for (let c = 0; c < 3; c++) {
        const all = shadow[s + 10 + c] + shadow[s + 13 + c];
        home[o + c] += all * lit[c];
        home[o + H_LIGHT] += Math.abs(all);
        home[o + H_LIT] += Math.abs(all) * lit[c];
      }
      continue;
    }
    const keep = depth > 0 ? kept(input, i, s, lit) : 1;
    for (let c = 0; c < 3; c++) {
      const matte = shadow[s + 10 + c] * lit[c] * keep;
      const gloss = shadow[s + 13 + c] * lit[c] * keep;
      if (depth === 0) {
        home[o + 3 + c] += matte;
        home[o + 6 + c] += gloss;
      } else {
        const share = shadow[s + 18 + c];
        home[o + 3 + c] += (matte + gloss) * share;
        home[o + 6 + c] += (matte + gloss) * (1 - share);
      }
    }
  }
}

/** Share of an indirect shadow ray's light that the firefly clamp leaves. */
function kept(input: PathInput, i: number, s: number, open: Float64Array): number {
  const l = luminance(
    (shadow[s + 10] + shadow[s + 13]) * open[0],
    (shadow[s + 11] + shadow[s + 14]) * open[1],
    (shadow[s + 12] + shadow[s + 15]) * open[2],
  );
  return clamped(input, i, l);
}
