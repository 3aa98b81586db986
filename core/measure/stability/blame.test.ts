import { describe, expect, it } from 'vitest';
import { blameLayers, PARTS, type LayeredFrame } from './blame';
import { measurePlace, placeAround, AROUND, type PlaceFrame } from './place';
import { SUM_LIT, SUMS } from '../../light/components';

const [W, H] = [48, 40];
const PIXELS = W * H;
const plane = (of: (i: number) => number): Float32Array => Float32Array.from({ length: PIXELS }, (_, i) => of(i));
const RECT = { x: 8, y: 8, width: 24, height: 20 };
const flip = (t: number): number => (t % 2 === 0 ? 1 : -1);

type Light = { direct?: number; lit?: number; bounce?: number; reflection?: number; emission?: number };
/** @param at what each layer is in frame t at pixel i */
function sequence(at: (t: number, i: number) => Light, ids: (i: number) => number = () => 1): LayeredFrame[] {
  return Array.from({ length: 9 }, (_, t) => ({
    layers: {
      direct: plane((i) => at(t, i).direct ?? 0),
      bounce: plane((i) => at(t, i).bounce ?? 0),
      reflection: plane((i) => at(t, i).reflection ?? 0),
      emission: plane((i) => at(t, i).emission ?? 0),
    },
    lit: plane((i) => at(t, i).lit ?? 1),
    slope: plane(() => 1),
    ids: Uint32Array.from({ length: PIXELS }, (_, i) => ids(i)),
    tracked: { motion: null, ids: null, mixed: null },
  }));
}
const blame = (at: (t: number, i: number) => Light, ids?: (i: number) => number) =>
  blameLayers(sequence(at, ids), W, H, RECT);

describe('the part of the light that flickers', () => {
  it('is the one that changes, among others that do not', () => {
    for (const part of ['bounce', 'reflection', 'emission'] as const) {
      const { parts, points } = blame((t) => ({ direct: 0.3, bounce: 0.2, [part]: 0.5 + 0.1 * flip(t) }));
      expect(parts[part]).toBeCloseTo(1, 5);
      expect(points).toBe(RECT.width * RECT.height * 5);
    }
  });

  it('is divided by amplitude where several change together, and sums to 1', () => {
    const { parts } = blame((t) => ({ bounce: 0.4 + 0.06 * flip(t), reflection: 0.4 + 0.02 * flip(t) }));
    expect(parts.bounce).toBeCloseTo(0.75, 4);
    expect(parts.reflection).toBeCloseTo(0.25, 4);
    expect(PARTS.reduce((sum, p) => sum + parts[p], 0)).toBeCloseTo(1, 5);
  });

  it('goes below 0 where it works against the rest', () => {
    const { parts } = blame((t) => ({ bounce: 0.4 + 0.06 * flip(t), reflection: 0.4 - 0.02 * flip(t) }));
    expect(parts.bounce).toBeCloseTo(1.5, 4);
    expect(parts.reflection).toBeCloseTo(-0.5, 4);
  });

  it('tells shadows from the light that they let through', () => {
    const shadow = blame((t) => ({ direct: 0.5 * (0.5 + 0.2 * flip(t)), lit: 0.5 + 0.2 * flip(t) })).parts;
    expect(shadow.shadow).toBeCloseTo(1, 4);
    expect(shadow.direct).toBeCloseTo(0, 4);
    const glint = blame((t) => ({ direct: 0.5 + 0.2 * flip(t), lit: 0.5 })).parts;
    expect(glint.direct).toBeCloseTo(1, 4);
    expect(glint.shadow).toBeCloseTo(0, 4);
  });

  it('knows what lies on outlines', () => {
    // two things that meet in the middle
    const halves = (i: number): number => (i % W < 20 ? 1 : 2);
    const edge = (i: number): boolean => i % W === 19 || i % W === 20;
    const onEdge = blame((t, i) => ({ bounce: 0.4 + (edge(i) ? 0.1 * flip(t) : 0) }), halves);
    expect(onEdge.outlines).toBeCloseTo(1, 5);
    const beside = blame((t, i) => ({ bounce: 0.4 + (edge(i) ? 0 : 0.1 * flip(t)) }), halves);
    expect(beside.outlines).toBeCloseTo(0, 5);
  });

  it('is none where nothing flickers', () => {
    const { parts, outlines } = blame((t) => ({ direct: 0.1 * t }));
    for (const part of PARTS) expect(parts[part]).toBeLessThan(1e-6);
    expect(outlines).toBe(0);
  });
});

describe('one place of a run', () => {
  const frames = (amount: number, where: (i: number) => boolean = () => true): PlaceFrame[] =>
    Array.from({ length: 9 }, (_, t) => {
      const light = plane((i) => 0.3 + (where(i) ? amount * flip(t) : 0));
      const sums = new Float32Array(PIXELS * SUMS);
      for (let i = 0; i < PIXELS; i++) {
        for (let c = 0; c < 3; c++) sums[i * SUMS + 3 + c] = light[i] * 4;
        sums[i * SUMS + SUM_LIT] = 4;
      }
      return {
        number: t,
        width: W,
        height: H,
        tone: 'none' as const,
        beauty: Float32Array.from({ length: PIXELS * 3 }, (_, k) => light[Math.floor(k / 3)]),
        sums,
        samples: 4,
        exposureEv: 0,
        motion: new Float32Array(PIXELS * 2),
        ids: new Uint32Array(PIXELS).fill(1),
      };
    });

  it('flickers in proportion to what changes there, and says which light it is', () => {
    const small = measurePlace(frames(0.002), RECT);
    const large = measurePlace(frames(0.008), RECT);
    expect(small.index).toBeGreaterThan(0.3);
    // a display answers to light, the eye to contrast: nearly linear
    expect(Math.abs(large.index! / small.index! / 4 - 1)).toBeLessThan(0.03);
    expect(large.blame.parts.bounce).toBeCloseTo(1, 4);
    expect(measurePlace(frames(0), RECT).index).toBeCloseTo(0, 6);
  });

  it('that changes once is as bad as that moment', () => {
    const once = frames(0)
      .map((f, t) => (t === 4 ? frames(0.02)[0] : f))
      .map((f, t) => ({ ...f, number: t }));
    expect(measurePlace(once, RECT).index).toBeGreaterThan(1);
  });

  it('leaves out what flickers elsewhere', () => {
    const far = measurePlace(
      frames(0.02, (i) => i % W > 42),
      { x: 6, y: 8, width: 8, height: 20 },
    );
    const near = measurePlace(
      frames(0.02, (i) => i % W > 42),
      { x: 36, y: 8, width: 8, height: 20 },
    );
    expect(far.index!).toBeLessThan(near.index! / 4);
  });

  it('is unknown where nothing can be followed', () => {
    const lost = frames(0.01).map((f) => ({ ...f, motion: new Float32Array(PIXELS * 2).fill(NaN) }));
    expect(measurePlace(lost, RECT).index).toBeNull();
  });

  it('is taken with what lies around it, inside the picture', () => {
    expect(placeAround({ x: 100, y: 80, width: 64, height: 64 }, 960, 540)).toEqual({
      x: 100 - AROUND,
      y: 80 - AROUND,
      width: 64 + 2 * AROUND,
      height: 64 + 2 * AROUND,
    });
    expect(placeAround({ x: 0, y: 500, width: 64, height: 40 }, 960, 540)).toEqual({
      x: 0,
      y: 500 - AROUND,
      width: 64 + AROUND,
      height: 540 - 500 + AROUND,
    });
  });
});
