/**
 * Sequences of which it is known whether they flicker: every case with ground of fine, coarse and no texture, 8 bits deep
 * as frames from outside are. Verdicts are tested on them, and docs/flicker-cases.md lists what is said of each.
 */
import { srgbToLinear } from '../math/color';
import { cos, sin } from '../math/exact';
import { random01 } from '../math/random';
import type { MeasuredImage } from '../measure/imageError';
import { SequenceMeter, type SequenceReport } from '../measure/stability/sequence';
import type { MeterFrame } from '../measure/stability/window';

export const CASE_WIDTH = 192;
export const CASE_HEIGHT = 144;
const PIXELS = CASE_WIDTH * CASE_HEIGHT;
const [CX, CY] = [CASE_WIDTH / 2, CASE_HEIGHT / 2];

export const GROUNDS = ['fine', 'coarse', 'none'] as const;
export type Ground = (typeof GROUNDS)[number];

/** What must be said of a case: that it flickers, or that it is calm. */
export type Expected = 'flickers' | 'calm';

export interface FlickerCase {
  name: string;
  expected: Expected;
  /** Frames with exact vectors and numbers of things. */
  frames(ground: Ground): MeterFrame[];
}

/** Code of the ground, about 70…190. */
function groundAt(ground: Ground, u: number, v: number): number {
  if (ground === 'none') return 118;
  const wave = (k: number): number =>
    16 * sin(u * 0.31 * k + v * 0.12 * k) +
    13 * sin(u * 0.83 * k - v * 0.57 * k + 1) +
    13 * sin(v * 0.94 * k + u * 0.22 * k + 2) +
    11 * cos(u * 0.09 * k - v * 0.4 * k);
  return 125 + (ground === 'fine' ? wave(1.2) : wave(0.22));
}

/** Thresholds of a dither, ordered (Bayer 1973). */
const BAYER = [0, 8, 2, 10, 12, 4, 14, 6, 3, 11, 1, 9, 15, 7, 13, 5].map((n) => (n + 0.5) / 16);

type Shade = (x: number, y: number, t: number) => number;
type Motion = (x: number, y: number, t: number) => readonly [number, number];
type Thing = (x: number, y: number, t: number) => number;

interface Scene {
  count?: number;
  shade: Shade;
  motion?: Motion;
  /** Number of what is drawn. */
  thing?: Thing;
}

function sequence({ count = 16, shade, motion, thing }: Scene): MeterFrame[] {
  return Array.from({ length: count }, (_, t) => {
    const luminance = new Float32Array(PIXELS);
    const vectors = motion ? new Float32Array(PIXELS * 2) : null;
    const ids = thing ? new Uint32Array(PIXELS) : null;
    for (let y = 0; y < CASE_HEIGHT; y++)
      for (let x = 0; x < CASE_WIDTH; x++) {
        const i = y * CASE_WIDTH + x;
        // dithered, as codes of a renderer are
        const code = Math.floor(shade(x, y, t) + BAYER[(y % 4) * 4 + (x % 4)]);
        luminance[i] = srgbToLinear(Math.min(255, Math.max(0, code)) / 255);
        if (vectors && motion) vectors.set(motion(x, y, t), i * 2);
        if (ids && thing) ids[i] = thing(x, y, t);
      }
    return { number: t, luminance, motion: vectors, ids };
  });
}

/** How the picture as a whole moves: where on the ground a pixel lies, and its vector. */
interface Camera {
  name: string;
  ground: (x: number, y: number, t: number) => [number, number];
  motion?: Motion;
}
const STILL: Camera = { name: 'still', ground: (x, y) => [x, y] };
const PAN: Camera = { name: 'panning', ground: (x, y, t) => [x - 2.3 * t, y + 0.8 * t], motion: () => [2.3, -0.8] };
const RATE = 0.008;
const ZOOM: Camera = {
  name: 'zooming',
  ground: (x, y, t) => {
    const scale = (1 + RATE) ** t;
    return [CX + (x - CX) / scale, CY + (y - CY) / scale];
  },
  motion: (x, y) => [(x - CX) * RATE, (y - CY) * RATE],
};
const CAMERAS = [STILL, PAN, ZOOM];

/** A part of the ground, a third of the picture. */
const inRegion = (u: number, v: number): boolean => Math.abs(u - CX) < 44 && Math.abs(v - CY) < 38;
/** Normal deviate of a place and an instant, reproducible. */
function noiseAt(x: number, y: number, t: number): number {
  let sum = -3;
  for (let k = 0; k < 6; k++) sum += random01(17, x + y * CASE_WIDTH, t, k);
  return sum * Math.SQRT2;
}

function alternating(camera: Camera, codes: number, whole: boolean): FlickerCase {
  return {
    name: `${whole ? 'the whole picture' : 'a region'} alternates by ±${codes} codes, ${camera.name}`,
    expected: 'flickers',
    frames: (ground) =>
      sequence({
        count: 10,
        shade: (x, y, t) => {
          const [u, v] = camera.ground(x, y, t);
          return groundAt(ground, u, v) + (whole || inRegion(u, v) ? (t % 2 === 0 ? codes : -codes) : 0);
        },
        motion: camera.motion,
      }),
  };
}

function noise(camera: Camera, sigma: number): FlickerCase {
  return {
    name: `noise of ${sigma} codes, ${camera.name}`,
    expected: 'flickers',
    frames: (ground) =>
      sequence({
        count: 10,
        shade: (x, y, t) => groundAt(ground, ...camera.ground(x, y, t)) + sigma * noiseAt(x, y, t),
        motion: camera.motion,
      }),
  };
}

const sparkle = (camera: Camera): FlickerCase => ({
  name: `sparkle, ${camera.name}`,
  expected: 'flickers',
  frames: (ground) =>
    sequence({
      count: 10,
      shade: (x, y, t) =>
        groundAt(ground, ...camera.ground(x, y, t)) + (random01(91, x + y * CASE_WIDTH, t, 0) < 6e-4 ? 130 : 0),
      motion: camera.motion,
    }),
});

const pop = (camera: Camera): FlickerCase => ({
  name: `a level of detail pops, ${camera.name}`,
  expected: 'flickers',
  frames: (ground) =>
    sequence({
      count: 12,
      shade: (x, y, t) => {
        const [u, v] = camera.ground(x, y, t);
        const late = t >= 6;
        // a rounded thing that gains a corner and other texture at once
        const inside = late ? Math.abs(u - CX) + Math.abs(v - CY) < 46 : (u - CX) ** 2 + (v - CY) ** 2 < 36 * 36;
        return inside ? 40 + 0.9 * groundAt(ground, u * (late ? 1.25 : 1), v) + (late ? 8 : 0) : groundAt(ground, u, v);
      },
      motion: camera.motion,
    }),
});

const flash: FlickerCase = {
  name: 'a flash of one frame',
  expected: 'flickers',
  frames: (ground) =>
    sequence({ count: 12, shade: (x, y, t) => groundAt(ground, x, y) + (t === 6 && inRegion(x, y) ? 30 : 0) }),
};

const SHADE = 0.45;
/** Share of light right of an edge at `at`, soft over a pixel. */
const rightOf = (x: number, at: number): number => Math.min(1, Math.max(0, x - at + 0.5));

const stepping: FlickerCase = {
  name: 'the edge of a shadow steps by texels',
  expected: 'flickers',
  frames: (ground) =>
    sequence({
      count: 18,
      shade: (x, y, t) => {
        const at = 60 + 6 * Math.floor(t / 4);
        return groundAt(ground, x, y) * (SHADE + (1 - SHADE) * rightOf(x + 0.2 * y, at));
      },
    }),
};

const edgeMoves = (speed: number): FlickerCase => ({
  name: `the edge of a shadow passes by ${speed} pixels a frame`,
  expected: 'calm',
  frames: (ground) =>
    sequence({
      count: 14,
      shade: (x, y, t) => groundAt(ground, x, y) * (SHADE + (1 - SHADE) * rightOf(x + 0.2 * y, 50 + speed * t)),
    }),
});

/** Coverage of a disc, smooth over a pixel. */
const disc = (x: number, y: number, cx: number, cy: number, radius: number): number =>
  Math.min(1, Math.max(0, radius + 0.5 - Math.hypot(x - cx, y - cy)));

interface Ball {
  radius: number;
  x: (t: number) => number;
  y: (t: number) => number;
  tone: number;
}
function balls(name: string, count: number, ...all: Ball[]): FlickerCase {
  const over = (ball: Ball, x: number, y: number, t: number): number => disc(x, y, ball.x(t), ball.y(t), ball.radius);
  const top = (x: number, y: number, t: number): number => all.findLastIndex((b) => over(b, x, y, t) > 0.5);
  return {
    name,
    expected: 'calm',
    frames: (ground) =>
      sequence({
        count,
        shade: (x, y, t) =>
          all.reduce(
            (below, ball) => {
              const share = over(ball, x, y, t);
              if (share === 0) return below;
              const own = ball.tone + 0.5 * groundAt(ground, (x - ball.x(t)) * 1.3, y - ball.y(t));
              return below + (own - below) * share;
            },
            groundAt(ground, x, y),
          ),
        motion: (x, y, t) => {
          const b = all[top(x, y, t)];
          return b ? [b.x(t + 1) - b.x(t), b.y(t + 1) - b.y(t)] : [0, 0];
        },
        thing: (x, y, t) => top(x, y, t) + 1,
      }),
  };
}

/** A square that turns throws a shadow; both are seen from above, the sun from the left. */
function spinning(degrees: number): FlickerCase {
  const turn = (degrees * Math.PI) / 180;
  const half = 22;
  const square = (x: number, y: number, cx: number, cy: number, angle: number): number => {
    const [dx, dy] = [x - cx, y - cy];
    const [c, s] = [cos(angle), sin(angle)];
    const d = Math.max(Math.abs(dx * c + dy * s), Math.abs(dy * c - dx * s));
    return Math.min(1, Math.max(0, half + 0.5 - d));
  };
  const [tx, ty] = [CX - 40, CY];
  return {
    name: `a thing turns by ${degrees}° a frame, its shadow beside it`,
    expected: 'calm',
    frames: (ground) =>
      sequence({
        count: 14,
        shade: (x, y, t) => {
          const floor = groundAt(ground, x, y) * (1 - (1 - SHADE) * square(x, y, tx + 62, ty + 8, turn * t));
          const share = square(x, y, tx, ty, turn * t);
          const [dx, dy] = [x - tx, y - ty];
          const [c, s] = [cos(turn * t), sin(turn * t)];
          return floor + (60 + 0.5 * groundAt(ground, dx * c + dy * s, dy * c - dx * s) - floor) * share;
        },
        motion: (x, y, t) => {
          if (square(x, y, tx, ty, turn * t) < 0.5) return [0, 0];
          const [dx, dy] = [x - tx, y - ty];
          return [dx * (cos(turn) - 1) - dy * sin(turn), dx * sin(turn) + dy * (cos(turn) - 1)];
        },
        thing: (x, y, t) => (square(x, y, tx, ty, turn * t) < 0.5 ? 1 : 2),
      }),
  };
}

const rotating = (degrees: number): FlickerCase => ({
  name: `the ground turns by ${degrees}° a frame`,
  expected: 'calm',
  frames: (ground) => {
    const turn = (degrees * Math.PI) / 180;
    return sequence({
      count: 10,
      shade: (x, y, t) => {
        const [dx, dy] = [x - CX, y - CY];
        const [c, s] = [cos(turn * t), sin(turn * t)];
        return groundAt(ground, dx * c + dy * s, dy * c - dx * s);
      },
      motion: (x, y) => {
        const [dx, dy] = [x - CX, y - CY];
        return [dx * (cos(turn) - 1) - dy * sin(turn), dx * sin(turn) + dy * (cos(turn) - 1)];
      },
    });
  },
});

const plain = (name: string, count: number, camera: Camera, light: (t: number) => number): FlickerCase => ({
  name,
  expected: 'calm',
  frames: (ground) =>
    sequence({
      count,
      shade: (x, y, t) => groundAt(ground, ...camera.ground(x, y, t)) * light(t),
      motion: camera.motion,
    }),
});

/** The same with light that flickers by a share every frame. */
function underFlicker(calm: FlickerCase, share: number): FlickerCase {
  return {
    name: `${calm.name}, under light that flickers by ±${share * 100} %`,
    expected: 'flickers',
    frames: (ground) =>
      calm.frames(ground).map((frame, t) => ({
        ...frame,
        luminance: frame.luminance.map((v) => v * (t % 2 === 0 ? 1 + share : 1 - share)),
      })),
  };
}

const line = (from: number, by: number) => (t: number) => from + by * t;

const BALL = balls('a ball passes', 14, { radius: 22, x: line(30, 4), y: line(60, 0.7), tone: 90 });

export const FLICKER_CASES: readonly FlickerCase[] = [
  ...CAMERAS.flatMap((camera) => [3, 12, 20, 60].map((codes) => alternating(camera, codes, false))),
  ...CAMERAS.flatMap((camera) => [3, 12, 20, 60].map((codes) => alternating(camera, codes, true))),
  ...CAMERAS.flatMap((camera) => [4, 14].map((sigma) => noise(camera, sigma))),
  ...[STILL, PAN].map(sparkle),
  ...[STILL, PAN].map(pop),
  flash,
  stepping,
  ...CAMERAS.map((camera) => plain(`nothing but the camera, ${camera.name}`, 10, camera, () => 1)),
  plain('a slow fade', 12, STILL, (t) => 1 - 0.03 * t),
  plain('a fast fade, panning', 12, PAN, (t) => 1 - 0.06 * t),
  plain('light pulses once in 1.5 s', 40, STILL, (t) => 0.8 + 0.25 * sin((2 * Math.PI * t) / 36)),
  plain('light pulses once in 3 s, panning', 24, PAN, (t) => 0.7 + 0.4 * sin((2 * Math.PI * t) / 72)),
  ...[3, 8].map(edgeMoves),
  BALL,
  balls('a fast ball passes', 12, { radius: 16, x: line(16, 11), y: line(70, -1), tone: 95 }),
  balls(
    'two balls cross',
    14,
    { radius: 20, x: line(30, 5), y: line(60, 0.4), tone: 20 },
    { radius: 18, x: line(150, -5), y: line(78, -0.3), tone: 95 },
  ),
  ...[3, 8].map(rotating),
  ...[5, 12].map(spinning),
  ...[BALL, edgeMoves(3), spinning(5), spinning(12)].map((calm) => underFlicker(calm, 0.03)),
];

/** How a case is measured: by its exact vectors, or from the pictures alone. */
export type Source = 'layer' | 'flow';

/**
 * What is known not to be told rightly yet. Without vectors: fine texture that turns fast is not followed, and what crosses or
 * flies fast may leave a single frame above the line. With and without: a strong pulse of just 1.5 s in 8 bits comes to 1.02.
 */
export function beyondReach({ name }: FlickerCase, ground: Ground, source: Source): boolean {
  if (name === 'light pulses once in 1.5 s') return ground !== 'none';
  if (source === 'layer') return false;
  if (name.startsWith('a thing turns')) return ground !== 'none';
  return (name === 'two balls cross' && ground === 'fine') || (name === 'a fast ball passes' && ground === 'coarse');
}

/** @returns what is said of a case */
export function reportOf(flickerCase: FlickerCase, ground: Ground, source: Source): SequenceReport {
  const meter = new SequenceMeter();
  for (const { number, luminance, motion, ids } of flickerCase.frames(ground)) {
    const rgb = new Float32Array(PIXELS * 3);
    for (let i = 0; i < PIXELS; i++) rgb.fill(luminance[i], i * 3, i * 3 + 3);
    const image: MeasuredImage = { name: `frame ${number}`, width: CASE_WIDTH, height: CASE_HEIGHT, tone: 'none', rgb };
    const layers = { motion: motion ?? new Float32Array(PIXELS * 2), ids: ids ?? undefined };
    meter.add(source === 'layer' ? { ...image, ...layers } : image, number);
  }
  return meter.report();
}

/** Whether a report says that it flickers: all the time, or in moments. */
export function saysFlicker({ verdict }: SequenceReport): boolean {
  return verdict.level === 'plain' || verdict.level === 'noticed' || verdict.level === 'moments';
}
