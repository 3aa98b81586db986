/** Asks all methods for a row, one after the other, while it is shaded. */
import { ANSWERS, clearRow, rowOfOne, type OpenAround, type SurfaceRow, type TileSample } from './method';

/** Whose time it is. */
export interface AroundClock {
  now(): number;
  add(stage: 'bounce' | 'reflections' | 'samples', milliseconds: number): void;
}

export interface AskedSample extends TileSample {
  /** Pixels across the picture. */
  width: number;
  /** Its place in the pixels. */
  x: number;
  y: number;
}

export interface AskedAround {
  /** They say nothing of what is not matte: it need not be asked for. */
  matteOnly: boolean;
  /** For surfaces that are shaded one by one. */
  one: SurfaceRow;
  begin(sample: AskedSample): void;
  /** The row's columns are cleared, then filled. */
  gather(row: SurfaceRow): void;
  /** Asks for the one place, at a pixel of this number. */
  gatherOne(pixel: number): void;
  /**
   * Of what was known of the first place of the row that was asked for last, the share that each of ANSWERS brought, and at last that of the
   * surroundings far away.
   */
  answered: Float64Array;
  /** See `OpenAround.missed`. @returns false where no method sends rays through the picture */
  missed(out: Float64Array): boolean;
}

export function askAround(methods: readonly OpenAround[], clock: AroundClock): AskedAround {
  for (const method of methods) method.meet?.(methods);
  const one = rowOfOne();
  const answered = new Float64Array(ANSWERS.length + 1);
  const brings = methods.map((m) => (m.answers ? ANSWERS.indexOf(m.answers) : -1));
  let width = 1;
  let [x, y] = [0.5, 0.5];
  /** It is a part of what samples take, until it is taken from there. */
  const book = (method: OpenAround, from: number): void => {
    const spent = clock.now() - from;
    clock.add(method.serves ?? 'bounce', spent);
    clock.add('samples', -spent);
  };
  const gather = (row: SurfaceRow): void => {
    clearRow(row);
    answered.fill(0);
    methods.forEach((method, k) => {
      const from = clock.now();
      const before = row.bounceSure[0];
      method.gather(row);
      if (brings[k] >= 0) answered[brings[k]] = row.bounceSure[0] - before;
      book(method, from);
    });
    answered[ANSWERS.length] = 1 - row.bounceSure[0];
  };
  return {
    matteOnly: methods.every((m) => m.matteOnly === true),
    one,
    begin(sample) {
      ({ width, x, y } = sample);
      for (const method of methods) {
        const from = clock.now();
        method.begin(sample);
        book(method, from);
      }
    },
    gather,
    missed(out) {
      const method = methods.find((m) => m.missed);
      method?.missed!(out);
      return method !== undefined;
    },
    answered,
    gatherOne(pixel) {
      one.px = (pixel % width) + x;
      one.py = Math.floor(pixel / width) + y;
      gather(one);
    },
  };
}
