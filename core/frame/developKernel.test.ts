import fc from 'fast-check';
import { createKernelMemory } from '@daxel/kernel/load';
import { describe, expect, it } from 'vitest';
import { glowNumbers, spreadGlow } from '../film/bloom';
import { CODE_CURVE } from '../film/tone';
import { SUMS } from '../light/components';
import type { RayFrame } from '../scene/camera';
import {
  developKernel,
  encodeQuickly,
  encodeRows,
  gatherBeauty,
  gatherQuickly,
  spreadQuickly,
  type DevelopInput,
} from './develop';
import { cases } from '../testing/cases';

/** Light of every size, and what is none. */
const light = fc.oneof(
  { weight: 6, arbitrary: fc.double({ min: 0, max: 1.5, noNaN: true }) },
  fc.double({ min: 1e-6, max: 1e-2, noNaN: true }),
  fc.double({ min: 1, max: 1e5, noNaN: true }),
  fc.constantFrom(0, 1, -0.5, 1e30, Infinity, NaN),
);
const pictures = fc
  .record({
    width: fc.integer({ min: 1, max: 19 }),
    height: fc.integer({ min: 1, max: 5 }),
    tone: fc.constantFrom('none' as const, 'neutral' as const),
    bloom: fc.constantFrom(0, 0.2),
    vignette: fc.constantFrom(0, 1),
    dither: fc.boolean(),
    perspective: fc.boolean(),
  })
  .chain((looks) => {
    const numbers = looks.width * looks.height * 3;
    return fc.record({
      looks: fc.constant(looks),
      beauty: fc.array(light, { minLength: numbers, maxLength: numbers }),
      glow: fc.array(fc.double({ min: 0, max: 2, noNaN: true }), { minLength: numbers, maxLength: numbers }),
    });
  });

describe('compiled developing', () => {
  it('gives the codes of its plain twin, but for roundings that fall a hair beside', () => {
    const memory = createKernelMemory(1 << 20)!;
    let at = 1024;
    const next = (bytes: number): number => (at += Math.ceil(bytes / 64) * 64) - Math.ceil(bytes / 64) * 64;
    const kernel = developKernel(
      memory,
      new Float32Array(memory.buffer, next(CODE_CURVE.length * 4), CODE_CURVE.length),
    );
    const [beautyAt, glowAt, displayAt] = [next(4096), next(4096), next(4096)];
    let [codes, other] = [0, 0];
    fc.assert(
      fc.property(pictures, ({ looks, beauty, glow }) => {
        const { width, height, perspective, ...rest } = looks;
        const count = width * height;
        const rays = { perspective, right: [0.03, 0.01, 0] } as unknown as RayFrame;
        const input: DevelopInput = {
          ...rest,
          width,
          height,
          rays,
          scale: 1,
          sums: new Float32Array(0),
          beauty: new Float32Array(memory.buffer, beautyAt, count * 3),
          glow: new Float32Array(memory.buffer, glowAt, count * 3),
          display: new Uint8Array(memory.buffer, displayAt, count * 4 + 16),
        };
        input.beauty.set(beauty);
        input.glow.set(glow);
        input.display.fill(77);
        encodeQuickly(kernel, input, 0, height);
        const ours = [...input.display];
        const twin = { ...input, display: new Uint8Array(count * 4) };
        encodeRows(twin, 0, height);
        // nothing is written behind the picture
        expect(ours.slice(count * 4)).toEqual(Array(16).fill(77));
        for (let i = 0; i < count * 4; i++) {
          // light beyond all measure becomes what is no number on one side or the other of the tone curve
          const endless = beauty.slice((i >> 2) * 3, (i >> 2) * 3 + 3).some((v) => !(Math.abs(v) < 1e20));
          if (endless && looks.tone === 'neutral') continue;
          expect(Math.abs(ours[i] - twin.display[i])).toBeLessThanOrEqual(1);
          codes++;
          if (ours[i] !== twin.display[i]) other++;
        }
      }),
      { numRuns: cases(300) },
    );
    expect(codes).toBeGreaterThan(10_000);
    expect(other / codes).toBeLessThan(1e-3);
  });

  it('spreads light as its plain twin does, at any size', () => {
    const memory = createKernelMemory(1 << 21)!;
    const kernel = developKernel(memory, new Float32Array(memory.buffer, 1024, CODE_CURVE.length));
    const side = fc.integer({ min: 1, max: 90 });
    fc.assert(
      fc.property(
        side,
        side,
        fc.array(fc.double({ min: 0, max: 50, noNaN: true }), { minLength: 7, maxLength: 40 }),
        (width, height, numbers) => {
          const beauty = new Float32Array(memory.buffer, 1 << 16, width * height * 3);
          const glow = new Float32Array(memory.buffer, 1 << 19, glowNumbers(width, height) + 4).fill(-7);
          beauty.forEach((_, i) => (beauty[i] = numbers[(i * i) % numbers.length]));
          spreadQuickly(kernel, { beauty, glow, width, height });
          const { rgb } = spreadGlow(beauty, width, height);
          rgb.forEach((v, i) => expect(Math.abs(glow[i] - v)).toBeLessThan(1e-5 * Math.max(1, v)));
          // what lies behind all levels is not touched
          expect([...glow.slice(-4)]).toEqual([-7, -7, -7, -7]);
        },
      ),
      { numRuns: cases(100) },
    );
  });

  it('takes the layers of any box together to the bits of its plain twin, and nothing beside it', () => {
    const memory = createKernelMemory(1 << 20)!;
    const kernel = developKernel(memory, new Float32Array(memory.buffer, 1024, CODE_CURVE.length));
    const [width, height] = [11, 7];
    const sums = new Float32Array(memory.buffer, 1 << 15, width * height * SUMS);
    const beauty = new Float32Array(memory.buffer, 1 << 16, width * height * 3);
    const side = (n: number) => fc.tuple(fc.integer({ min: 0, max: n }), fc.integer({ min: 0, max: n }));
    fc.assert(
      fc.property(fc.array(light, { minLength: 50, maxLength: 50 }), side(width), side(height), (numbers, xs, ys) => {
        sums.forEach((_, i) => (sums[i] = numbers[(i * 7) % 50]));
        const [x0, x1] = xs.sort((a, b) => a - b);
        const [y0, y1] = ys.sort((a, b) => a - b);
        const box = { x0, y0, x1, y1 };
        const input = { sums, beauty, width, scale: 1 / 3 } as unknown as DevelopInput;
        beauty.fill(5);
        gatherQuickly(kernel, input, box);
        const twin = new Float32Array(beauty.length).fill(5);
        gatherBeauty({ ...input, beauty: twin }, box);
        expect([...beauty]).toEqual([...twin]);
        const inside = (i: number): boolean => {
          const [x, y] = [i % width, Math.floor(i / width)];
          return x >= x0 && x < x1 && y >= y0 && y < y1;
        };
        for (let i = 0; i < width * height; i++) if (!inside(i)) expect(twin[i * 3]).toBe(5);
      }),
      { numRuns: cases(100) },
    );
  });
});
