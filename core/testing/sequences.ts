/** Short sequences whose flicker is known, with exact vectors: display-linear luminance per pixel. */
import { srgbToLinear } from '../math/color';
import { cos, exp, sin } from '../math/exact';
import { randomStream } from '../math/random';
import type { MeterFrame } from '../measure/stability/window';

export const SEQUENCE_WIDTH = 160;
export const SEQUENCE_HEIGHT = 120;
const PIXELS = SEQUENCE_WIDTH * SEQUENCE_HEIGHT;

/** sRGB code 0…255 to display-linear. */
const linear = (code: number): number => srgbToLinear(Math.min(1, Math.max(0, code / 255)));

/** A frame from codes. @param code called with pixel centres */
function frameOf(
  number: number,
  code: (x: number, y: number) => number,
  motion: ((x: number, y: number) => [number, number]) | null = null,
): MeterFrame {
  const luminance = new Float32Array(PIXELS);
  const vectors = motion && new Float32Array(PIXELS * 2);
  for (let y = 0; y < SEQUENCE_HEIGHT; y++)
    for (let x = 0; x < SEQUENCE_WIDTH; x++) {
      const i = y * SEQUENCE_WIDTH + x;
      luminance[i] = linear(code(x, y));
      if (vectors && motion) vectors.set(motion(x, y), i * 2);
    }
  return { number, luminance, motion: vectors, ids: null };
}

const many = (count: number, frame: (t: number) => MeterFrame): MeterFrame[] =>
  Array.from({ length: count }, (_, t) => frame(t));

/** A texture of waves no shorter than five pixels, codes 70…190. */
export function texture(x: number, y: number): number {
  return (
    130 +
    18 * sin(x * 0.31 + y * 0.12) +
    14 * sin(x * 0.83 - y * 0.57 + 1) +
    14 * sin(y * 0.94 + x * 0.22 + 2) +
    12 * cos(x * 0.09 - y * 0.4)
  );
}

export function still(count = 8): MeterFrame[] {
  return many(count, (t) => frameOf(t, texture));
}

/** The texture moves by so many pixels a frame. */
export function pan(dx: number, dy: number, count = 8): MeterFrame[] {
  return many(count, (t) =>
    frameOf(
      t,
      (x, y) => texture(x - dx * t, y - dy * t),
      () => [dx, dy],
    ),
  );
}

/** The texture grows about the middle by a share a frame. */
export function zoom(rate: number, count = 8): MeterFrame[] {
  const [cx, cy] = [SEQUENCE_WIDTH / 2, SEQUENCE_HEIGHT / 2];
  return many(count, (t) => {
    let scale = 1;
    for (let k = 0; k < t; k++) scale *= 1 + rate;
    return frameOf(
      t,
      (x, y) => texture((x - cx) / scale, (y - cy) / scale),
      (x, y) => [(x - cx) * rate, (y - cy) * rate],
    );
  });
}

/** Everything brightens evenly by codes a frame. */
export function fade(codes: number, count = 10): MeterFrame[] {
  return many(count, (t) => frameOf(t, (x, y) => 0.5 * texture(x, y) + codes * t));
}

/** A soft highlight passes over the texture by pixels a frame. */
export function softHighlight(speed: number, count = 16): MeterFrame[] {
  return many(count, (t) =>
    frameOf(t, (x, y) => {
      const d2 = (x - 30 - speed * t) ** 2 + (y - 60) ** 2;
      return 0.8 * texture(x, y) + 40 * exp(-d2 / (2 * 22 * 22));
    }),
  );
}

const inPatch = (x: number, y: number): boolean => Math.abs(x - 80) < 30 && Math.abs(y - 60) < 30;

/** A square patch alternates about mid grey by ± codes. */
export function alternating(codes: number, count = 8): MeterFrame[] {
  return many(count, (t) => frameOf(t, (x, y) => 118 + (inPatch(x, y) ? (t % 2 === 0 ? codes : -codes) : 0)));
}

/** The patch follows a sine of so many hertz at 24 frames a second. */
export function sine(codes: number, hertz: number, count = 28): MeterFrame[] {
  return many(count, (t) =>
    frameOf(t, (x, y) => 118 + (inPatch(x, y) ? codes * sin((2 * Math.PI * hertz * t) / 24 + 0.7) : 0)),
  );
}

/** The patch becomes brighter once and stays so. */
export function step(codes: number, count = 20): MeterFrame[] {
  return many(count, (t) => frameOf(t, (x, y) => 118 + (inPatch(x, y) && t >= count / 2 ? codes : 0)));
}

/** Numbers with a normal distribution (Box & Muller 1958). */
function normals(seed: number): () => number {
  const random = randomStream(seed);
  return () => {
    let sum = -6;
    for (let k = 0; k < 12; k++) sum += random();
    return sum;
  };
}

/** Every pixel has new noise in every frame. @param sigma codes */
export function grain(sigma: number, count = 8, seed = 1): MeterFrame[] {
  const next = normals(seed);
  return many(count, (t) => frameOf(t, () => 118 + sigma * next()));
}

/** Soft blotches of about eight pixels, new in every frame. @param sigma codes */
export function blotches(sigma: number, count = 12, seed = 2): MeterFrame[] {
  const next = normals(seed);
  const cell = 8;
  const [w, h] = [SEQUENCE_WIDTH / cell + 2, SEQUENCE_HEIGHT / cell + 2];
  return many(count, (t) => {
    const grid = Float64Array.from({ length: w * h }, next);
    // a smooth blend of four independent values has 0.55 of their deviation on average
    return frameOf(t, (x, y) => {
      const [gx, gy] = [x / cell, y / cell];
      const [ix, iy] = [Math.floor(gx), Math.floor(gy)];
      const ease = (f: number): number => f * f * (3 - 2 * f);
      const [fx, fy] = [ease(gx - ix), ease(gy - iy)];
      const at = (i: number, j: number): number => grid[(iy + j) * w + ix + i];
      const top = at(0, 0) + (at(1, 0) - at(0, 0)) * fx;
      const bottom = at(0, 1) + (at(1, 1) - at(0, 1)) * fx;
      return 118 + (sigma / 0.7) * (top + (bottom - top) * fy);
    });
  });
}

/** Single pixels flash, a few a frame, each in another place. @param codes brighter */
export function sparkles(codes: number, perFrame = 2, count = 12, seed = 3): MeterFrame[] {
  const random = randomStream(seed);
  return many(count, (t) => {
    const lit = new Set<number>();
    for (let k = 0; k < perFrame; k++) {
      const x = 12 + Math.floor(random() * (SEQUENCE_WIDTH - 24));
      lit.add((12 + Math.floor(random() * (SEQUENCE_HEIGHT - 24))) * SEQUENCE_WIDTH + x);
    }
    return frameOf(t, (x, y) => 100 + (lit.has(y * SEQUENCE_WIDTH + x) ? codes : 0));
  });
}

/** Dark lines, slanted a little, that pan slowly: drawn with so many samples a pixel, one shows crawling stairs. */
export function lines(samples: number, speed = 0.4, count = 12): MeterFrame[] {
  const side = Math.round(Math.sqrt(samples));
  return many(count, (t) =>
    frameOf(
      t,
      (x, y) => {
        let hit = 0;
        for (let j = 0; j < side; j++)
          for (let i = 0; i < side; i++) {
            const sx = x + (i + 0.5) / side - 0.5 - speed * t;
            const sy = y + (j + 0.5) / side - 0.5;
            const across = sy + sx * 0.09;
            if (across - Math.floor(across / 17) * 17 < 3) hit++;
          }
        return 215 - (190 * hit) / (side * side);
      },
      () => [speed, 0],
    ),
  );
}

/** A textured square passes over a textured ground by pixels a frame, its edges mixed as an open shutter mixes them. */
export function passing(speed: number, count = 9): MeterFrame[] {
  const open = 0.5;
  const side = 40;
  const left = (t: number): number => 25.3 + speed * t;
  const [top, parts] = [40, 8];
  return many(count, (t) => {
    const inside = (x: number, y: number, at: number): boolean =>
      x >= left(at) && x < left(at) + side && y >= top && y < top + side;
    const frame = frameOf(
      t,
      (x, y) => {
        let sum = 0;
        for (let k = 0; k < parts; k++)
          for (let j = 0; j < parts; j++) {
            const at = t + ((k + 0.5) / parts - 0.5) * open;
            const sx = x + (j + 0.5) / parts - 0.5;
            sum += inside(sx, y, at) ? 40 + texture((sx - left(at)) * 1.3, y) : 0.6 * texture(sx, y);
          }
        return sum / (parts * parts);
      },
      (x, y) => (inside(x, y, t) ? [speed, 0] : [0, 0]),
    );
    const ids = Float32Array.from({ length: PIXELS }, (_, i) =>
      inside(i % SEQUENCE_WIDTH, Math.floor(i / SEQUENCE_WIDTH), t) ? 2 : 1,
    );
    return { ...frame, ids };
  });
}

/** A bright highlight of a few pixels passes fast over the texture: every point flashes once. */
export function fastHighlight(speed: number, radius: number, count = 14): MeterFrame[] {
  return many(count, (t) =>
    frameOf(t, (x, y) => {
      const d2 = (x - 20 - speed * t) ** 2 + (y - 60) ** 2;
      return 0.5 * texture(x, y) + 120 * exp(-d2 / (2 * radius * radius));
    }),
  );
}

/** The edge of a shadow, soft over some pixels, passes over the texture. */
export function shadowEdge(speed: number, softness: number, count = 14): MeterFrame[] {
  return many(count, (t) =>
    frameOf(t, (x, y) => {
      const d = (x + 0.15 * y - 30 - speed * t) / softness;
      const lit = d < -1 ? 0 : d > 1 ? 1 : 0.5 + 0.75 * d - 0.25 * d * d * d;
      return texture(x, y) * (0.35 + 0.65 * lit);
    }),
  );
}
