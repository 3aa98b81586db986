import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { environmentReflectance, ggx, lookUpReflectance, MIN_ALPHA, schlickWeight, widenAlpha } from './reflectance';

const cosine = fc.double({ min: 0.02, max: 1, noNaN: true });
const roughness = fc.double({ min: 0.05, max: 1, noNaN: true });

/** Share of light from direction v that a GGX mirror with F = 1 sends back, by integration over the hemisphere. */
function albedo(alpha: number, nv: number): number {
  const sv = Math.sqrt(1 - nv * nv);
  const steps = 400;
  let sum = 0;
  for (let i = 0; i < steps; i++) {
    // even in cos² so that grazing directions are well covered
    const nl = Math.sqrt((i + 0.5) / steps);
    const sl = Math.sqrt(1 - nl * nl);
    for (let j = 0; j < steps; j++) {
      const phi = ((j + 0.5) / steps) * Math.PI;
      const hx = sl * Math.cos(phi) + sv;
      const hy = sl * Math.sin(phi);
      const hz = nl + nv;
      const nh = hz / Math.hypot(hx, hy, hz);
      // ∫ f cosθ dω with cosθ dω = ½ d(cos²θ) dφ, both halves of φ
      sum += ggx(alpha, nl, nv, nh);
    }
  }
  return (sum / (steps * steps)) * Math.PI;
}

describe('the GGX lobe', () => {
  it('is the same in both directions', () => {
    fc.assert(
      fc.property(
        cosine,
        cosine,
        cosine,
        roughness,
        (nl, nv, nh, r) => void expect(ggx(r * r, nl, nv, nh)).toBeCloseTo(ggx(r * r, nv, nl, nh), 9),
      ),
    );
  });

  it('never sends back more than it receives', () => {
    for (const r of [0.35, 0.5, 0.7, 1])
      for (const nv of [0.15, 0.5, 0.9]) expect(albedo(r * r, nv)).toBeLessThan(1.005);
  });

  it('agrees with the table that the environment is weighted by', () => {
    const out = new Float64Array(2);
    const table = environmentReflectance();
    for (const r of [0.5, 0.7, 1]) {
      for (const nv of [0.3, 0.6, 0.95]) {
        lookUpReflectance(table, r, nv, out);
        // F = 1 at every angle: scale and offset together
        expect(Math.abs(out[0] + out[1] - albedo(r * r, nv))).toBeLessThan(0.02);
      }
    }
  });

  it('is white for a smooth mirror', () => {
    const out = new Float64Array(2);
    lookUpReflectance(environmentReflectance(), 0, 0.7, out);
    expect(out[0] + out[1]).toBeCloseTo(1, 3);
  });
});

describe('Fresnel', () => {
  it('is nothing more at the normal and everything at grazing', () => {
    expect(schlickWeight(1)).toBe(0);
    expect(schlickWeight(0)).toBe(1);
    expect(schlickWeight(1.2)).toBe(0);
    expect(schlickWeight(-0.3)).toBe(1);
  });
});

describe('widening', () => {
  it('grows as the averaged normal shortens, and never narrows', () => {
    fc.assert(
      fc.property(
        roughness,
        fc.double({ min: 0.1, max: 1, noNaN: true }),
        fc.double({ min: 0.1, max: 1, noNaN: true }),
        (r, a, b) => {
          const alpha = Math.max(MIN_ALPHA, r * r);
          const [short, long] = [Math.min(a, b), Math.max(a, b)];
          expect(widenAlpha(alpha, short)).toBeGreaterThanOrEqual(widenAlpha(alpha, long));
          expect(widenAlpha(alpha, short)).toBeGreaterThanOrEqual(alpha);
          expect(widenAlpha(alpha, short)).toBeLessThanOrEqual(1);
        },
      ),
    );
    expect(widenAlpha(0.2, 1)).toBe(0.2);
  });
});
