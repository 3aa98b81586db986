import { describe, expect, it } from 'vitest';
import { SUM_LIT, SUMS } from '../../light/components';
import { mainParts } from './blame';
import { lightLayers } from './frameLayers';
import { SequenceMeter, type SequenceReport } from './sequence';

const [WIDTH, HEIGHT] = [160, 120];
const PIXELS = WIDTH * HEIGHT;
const SAMPLES = 4;

/** Light of a pixel: direct as it would arrive, the share that does, and bounced. */
type Lit = (x: number, flip: number) => { direct: number; lit: number; bounce: number };

function measure(of: Lit, layered = true): SequenceReport {
  const meter = new SequenceMeter();
  for (let t = 0; t < 8; t++) {
    const rgb = new Float32Array(PIXELS * 3);
    const sums = new Float32Array(PIXELS * SUMS);
    for (let i = 0; i < PIXELS; i++) {
      const { direct, lit, bounce } = of(i % WIDTH, t % 2 === 0 ? 1 : -1);
      rgb.fill(direct * lit + bounce, i * 3, i * 3 + 3);
      sums.fill(direct * lit * SAMPLES, i * SUMS, i * SUMS + 3);
      sums.fill(bounce * SAMPLES, i * SUMS + 3, i * SUMS + 6);
      sums[i * SUMS + SUM_LIT] = lit * SAMPLES;
    }
    const motion = new Float32Array(PIXELS * 2);
    const ids = new Uint32Array(PIXELS).fill(1);
    const light = layered ? lightLayers(sums, SAMPLES, 0) : undefined;
    const size = { name: `frame ${t}`, width: WIDTH, height: HEIGHT };
    meter.add({ ...size, rgb, tone: 'none', motion, ids, light }, t);
  }
  return meter.report();
}

describe('the light that flickers in a run', () => {
  // equal changes on equal parts at both sides, by another light each
  const sides: Lit = (x, flip) => ({
    direct: 0.2,
    lit: x >= 88 ? 0.5 + 0.1 * flip : 0.5,
    bounce: x < 72 ? 0.2 + 0.02 * flip : 0.2,
  });

  it('is divided among its parts as they change', () => {
    const { parts, outlines, points } = measure(sides).blame!;
    expect(parts.bounce).toBeCloseTo(0.5, 2);
    expect(parts.shadow).toBeCloseTo(0.5, 2);
    expect(parts.direct).toBeCloseTo(0, 4);
    expect(outlines).toBe(0);
    expect(points).toBeGreaterThan(0);
  });

  it('is the part that changes more by the square of it', () => {
    const { parts } = measure((x, flip) => {
      const light = sides(x, flip);
      return { ...light, bounce: x < 72 ? 0.2 + 0.04 * flip : 0.2 };
    }).blame!;
    expect(parts.bounce / parts.shadow).toBeCloseTo(4, 0);
  });

  it('leaves out what works against the rest', () => {
    // bounced light falls while more of the direct light arrives: shadows make more of a change than is seen
    const against = measure((_x, flip) => ({ direct: 0.4, lit: 0.5 + 0.1 * flip, bounce: 0.3 - 0.02 * flip })).blame!;
    expect(against.parts.shadow).toBeCloseTo(2, 1);
    expect(against.parts.bounce).toBeCloseTo(-1, 1);
    expect(mainParts(against)).toEqual([{ part: 'shadow', share: 1 }]);
    expect(
      mainParts(measure(sides).blame!)
        .map(({ part }) => part)
        .sort(),
    ).toEqual(['bounce', 'shadow']);
  });

  it('is not looked for where nobody notices anything, and unknown without layers', () => {
    const calm = measure(() => ({ direct: 0.2, lit: 1, bounce: 0.2 })).blame!;
    expect(calm.points).toBe(0);
    expect(calm.parts.shadow).toBe(0);
    expect(measure(sides, false).blame).toBeNull();
  });
});
