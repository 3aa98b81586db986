import { describe, expect, it } from 'vitest';
import { addNode, mapCamera, MATTE, quad, render, sceneOf } from '../testing/scenes';
import { measureStepping, type SteppingInput } from './stepping';

const [WIDTH, HEIGHT] = [256, 48];
const MIDDLE = 128;

/** Pixels by which what is seen is shifted from row to row: an edge that is not quite upright. */
const SLANT = 1 / 9;
/** Luminance along a row by its integral: each pixel is the mean over its width. */
function picture(integral: (x: number) => number): Float32Array {
  const rows = new Float32Array(WIDTH * HEIGHT);
  for (let y = 0; y < HEIGHT; y++) {
    const shift = (y - HEIGHT / 2) * SLANT;
    for (let x = 0; x < WIDTH; x++) rows[y * WIDTH + x] = integral(x - shift + 0.5) - integral(x - shift - 0.5);
  }
  return rows;
}
const ramp = (x: number): number => Math.max(0, x);
/** An edge from `low` to `high` seen at n instants over a trail about the middle. */
function edge(low: number, high: number, trail: number, n: number, at = MIDDLE): Float32Array {
  return picture((x) => {
    let sum = low * x;
    for (let k = 0; k < n; k++) sum += ((high - low) / n) * ramp(x - at - ((k + 0.5) / n - 0.5) * trail);
    return sum;
  });
}
function input(luminance: Float32Array, trail: number, instants: number): SteppingInput {
  const open = 0.5;
  const motion = new Float32Array(WIDTH * HEIGHT * 2);
  for (let i = 0; i < motion.length; i += 2) motion[i] = trail / open;
  return { width: WIDTH, height: HEIGHT, luminance, motion, open, instants };
}
const sinc = (x: number): number => Math.sin(Math.PI * x) / (Math.PI * x);

describe('stepping of motion blur', () => {
  // the deviation of a staircase of n steps from its ramp is a sawtooth of height ΔL / n: fundamental ΔL / (π n)
  it.each([
    [4, 16],
    [4, 40],
    [8, 32],
    [8, 60.5],
    [16, 48],
    [16, 96],
    [3, 20],
    [2, 40],
  ])('of an edge at %i instants over %f pixels is the fundamental of its sawtooth, within 2 %', (n, trail) => {
    // faint, so that the light around the worst place is that of the middle
    const [low, high] = [0.39, 0.41];
    const found = measureStepping(input(edge(low, high, trail, n), trail, n))!;
    const expected = ((high - low) * sinc(n / trail)) / (Math.PI * n) / ((low + high) / 2 + 0.005);
    expect(found.contrast / expected).toBeGreaterThan(0.98);
    expect(found.contrast / expected).toBeLessThan(1.02);
    expect(found.spacing).toBeCloseTo(trail / n, 5);
  });

  it('is the same whichever way the edge goes, and falls with every instant more', () => {
    const [up, down] = [edge(0.2, 0.6, 32, 8), edge(0.6, 0.2, 32, 8)].map(
      (l) => measureStepping(input(l, 32, 8))!.contrast,
    );
    expect(up / down).toBeCloseTo(1, 2);
    const falls = [2, 4, 8, 16].map((n) => measureStepping(input(edge(0.2, 0.6, 64, n), 64, n))!.contrast);
    for (let i = 1; i < falls.length; i++) expect(falls[i]).toBeLessThan(falls[i - 1] * 0.6);
  });

  it('is none for a continuous shutter, of an edge or of a texture', () => {
    const [trail, n] = [40, 8];
    const smooth = picture((x) => {
      const [a, b] = [MIDDLE - trail / 2, MIDDLE + trail / 2];
      const inside = Math.min(b, Math.max(a, x)) - a;
      return 0.2 * x + 0.4 * ((inside * inside) / (2 * trail) + ramp(x - b));
    });
    const stepped = measureStepping(input(edge(0.2, 0.6, trail, n), trail, n))!.contrast;
    expect(measureStepping(input(smooth, trail, n))!.contrast).toBeLessThan(stepped / 50);
    // a texture of many waves, blurred: each keeps sinc(f T) of itself
    const waves = Array.from({ length: 90 }, (_, k) => ({ f: 0.003 * (k + 1.37), phase: k * 2.39996 }));
    const texture = (transfer: (f: number) => number): Float32Array =>
      picture((x) =>
        waves.reduce(
          (sum, { f, phase }) => sum - (0.02 * transfer(f) * Math.cos(2 * Math.PI * f * x + phase)) / (2 * Math.PI * f),
          0.4 * x,
        ),
      );
    const sampled = (f: number): number => Math.sin(Math.PI * f * trail) / (n * Math.sin((Math.PI * f * trail) / n));
    const blurred = measureStepping(
      input(
        texture((f) => sinc(f * trail)),
        trail,
        n,
      ),
    )!.contrast;
    const combed = measureStepping(input(texture(sampled), trail, n))!.contrast;
    expect(combed).toBeGreaterThan(10 * blurred);
  });

  it('is not claimed of what stands still behind it', () => {
    const [trail, n] = [40, 8];
    const stepped = measureStepping(input(edge(0.2, 0.6, trail, n), trail, n))!.contrast;
    const still = picture((x) => 0.2 * x + 0.4 * ramp(x - MIDDLE - 3));
    expect(measureStepping(input(still, trail, n))!.contrast).toBeLessThan(stepped / 10);
    const even = new Float32Array(WIDTH * HEIGHT).fill(0.3);
    expect(measureStepping(input(even, trail, n))!.contrast).toBe(0);
  });

  it('is not measured where nothing moves or at one instant, and none where copies are closer than pixels', () => {
    const l = edge(0.2, 0.6, 32, 8);
    expect(measureStepping({ ...input(l, 32, 8), motion: new Float32Array(WIDTH * HEIGHT * 2) })).toBeNull();
    expect(measureStepping({ ...input(l, 32, 8), motion: new Float32Array(WIDTH * HEIGHT * 2).fill(NaN) })).toBeNull();
    expect(measureStepping(input(l, 2, 24))).toBeNull();
    expect(measureStepping(input(l, 32, 1))).toBeNull();
    expect(measureStepping({ ...input(l, 32, 8), open: 0 })).toBeNull();
    expect(measureStepping(input(l, 32, 24))).toMatchObject({ contrast: 0, spacing: 32 / 24 });
  });
});

describe('stepping of a rendered edge that moves', () => {
  const [width, height, perFrame, rate] = [192, 64, 40, 24];
  const glow = (light: number) => ({
    ...MATTE,
    name: `glow ${light}`,
    emissive: [light, light, light] as [number, number, number],
    baseColor: [0, 0, 0, 1] as [number, number, number, number],
  });
  /** Pixels a metre of `mapCamera(3, 1)`. */
  const scale = height / 2;
  const source = sceneOf([], [glow(0.3), glow(0.4)]);
  source.meshes = [
    { name: 'floor', primitives: [quad(20, -0.1, 0)] },
    { name: 'plate', primitives: [quad(6, 0, 1)] },
  ];
  source.nodes = [];
  addNode(source, { mesh: 0 });
  const tilt = Math.atan(1 / 9) / 2;
  const node = addNode(source, { mesh: 1, rotation: [0, Math.sin(tilt), 0, Math.cos(tilt)] });
  const speed = (perFrame * rate) / scale;
  source.animations = [
    {
      node,
      path: 'translation',
      interpolation: 'linear',
      times: Float32Array.of(0, 1),
      // at half a second its left edge stands in the middle of the picture
      values: Float32Array.of(6 - speed / 2, 0, 0, 6 + speed / 2, 0, 0),
    },
  ];

  it.each([2, 4, 8])('at %i instants is that of the closed form, within 5 %', async (instants) => {
    const open = 0.5;
    const camera = { ...mapCamera(3, 1), shutter: { opens: -open / 2 / rate, closes: open / 2 / rate } };
    const values = {
      'output.width': width,
      'output.height': height,
      'samples.filter': 'box',
      'samples.radius': 0.5,
      'samples.pixel': 64,
      'samples.shutter': instants,
    };
    const frame = await render(source, camera, values, 0.5);
    const luminance = Float32Array.from({ length: width * height }, (_, i) => frame.views.beauty[i * 3]);
    const motion = new Float32Array(width * height * 2);
    for (let i = 0; i < motion.length; i += 2) motion[i] = perFrame;
    const found = measureStepping({ width, height, luminance, motion, open, instants })!;
    const spacing = (perFrame * open) / instants;
    const expected = (0.1 * sinc(1 / spacing)) / (Math.PI * instants) / 0.355;
    expect(found.contrast / expected).toBeGreaterThan(0.95);
    expect(found.contrast / expected).toBeLessThan(1.05);
  });
});
