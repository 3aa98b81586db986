/** Pictures of a run as they are looked at: graded, or the difference of two. */
import { applyLut, type Lut } from '@daxel/core/film/lut';
import type { Picture } from './preview';

/** The last few pictures through a table, so that a loop is not graded anew each time. */
export function createGrader(): (picture: Picture, lut: Lut | null) => Picture {
  let held = new WeakMap<Picture, Picture>();
  let of: Lut | null = null;
  return (picture, lut) => {
    if (!lut) return picture;
    if (lut !== of) [held, of] = [new WeakMap(), lut];
    let graded = held.get(picture);
    if (!graded) held.set(picture, (graded = { ...picture, codes: applyLut(picture.codes, lut) }));
    return graded;
  };
}

/** Difference of display codes about mid grey, so many times as strong. */
export function amplified(a: Picture, b: Picture, times: number): Picture | null {
  if (a.width !== b.width || a.height !== b.height) return null;
  const codes = new Uint8ClampedArray(a.codes.length);
  for (let i = 0; i < codes.length; i++) codes[i] = i % 4 === 3 ? 255 : 128 + (a.codes[i] - b.codes[i]) * times;
  return { ...a, codes };
}
