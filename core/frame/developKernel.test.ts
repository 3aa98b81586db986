import fc from 'fast-check';
import { createKernelMemory } from '@daxel/kernel/load';
import { describe, expect, it } from 'vitest';
import { CODES } from '../film/tone';
import type { RayFrame } from '../scene/camera';
import { developKernel, developRows, developRowsQuickly, type DevelopInput } from './develop';

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
    const kernel = developKernel(memory, new Float32Array(memory.buffer, next(CODES.length * 4), CODES.length));
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
        developRowsQuickly(kernel, input, 'encode', 0, height);
        const ours = [...input.display];
        const twin = { ...input, display: new Uint8Array(count * 4) };
        developRows(twin, 'encode', 0, height);
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
      { numRuns: 300 },
    );
    expect(codes).toBeGreaterThan(10_000);
    expect(other / codes).toBeLessThan(1e-3);
  });
});
