import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { randomStream } from '../math/random';
import { environmentReflectance, lookUpReflectance } from '../raster/reflectance';
import {
  S_ALPHA,
  S_BASE,
  S_BOOST,
  S_DIFFUSE,
  S_F0,
  S_F90,
  S_FACE,
  S_MIRRORED,
  S_NORMAL,
  S_TRANSMISSION,
  S_VIEW,
  SURFACE_SIZE,
} from '../raster/surface';
import {
  evaluateScatter,
  R_ASKED,
  R_DENSITY,
  R_DIRECTION,
  R_GLOSS,
  R_MATTE,
  sampleScatter,
  SCATTER_SIZE,
  WENT_NOWHERE,
  WENT_REFLECTED,
  WENT_STRAIGHT,
  WENT_THROUGH,
  type Glass,
} from './scatter';

interface Look {
  alpha: number;
  /** Cosine of the view. */
  nv: number;
  diffuse?: number;
  f0?: number;
  transmission?: number;
}
/** Grey, facing up, seen from the side of +x. */
function surfaceOf({ alpha, nv, diffuse = 0, f0 = 0.04, transmission = 0 }: Look): Float64Array {
  const s = new Float64Array(SURFACE_SIZE);
  s[S_NORMAL + 2] = s[S_FACE + 2] = 1;
  s.set([Math.sqrt(1 - nv * nv), 0, nv], S_VIEW);
  const mirrored = new Float64Array(2);
  lookUpReflectance(environmentReflectance(), Math.sqrt(alpha), nv, mirrored);
  s.fill(diffuse, S_DIFFUSE, S_DIFFUSE + 3);
  s.fill(f0, S_F0, S_F0 + 3);
  s[S_F90] = 1;
  s[S_ALPHA] = alpha;
  s[S_TRANSMISSION] = transmission;
  s.fill(1, S_BASE, S_BASE + 3);
  s.fill(f0 * mirrored[0] + mirrored[1], S_MIRRORED, S_MIRRORED + 3);
  s.fill(1, S_BOOST, S_BOOST + 3);
  return s;
}
const OPAQUE: Glass = { solid: false, ior: 1.5, entering: true, straight: false, boost: 1 };
const glassOf = (ior: number, entering: boolean): Glass => ({ solid: true, ior, entering, straight: false, boost: 1 });
const f0Of = (ior: number): number => ((ior - 1) / (ior + 1)) ** 2;

const out = new Float64Array(SCATTER_SIZE);

/** Integrals over the hemisphere: of density, matte and mirrored part. */
function integrals(s: Float64Array): { density: number; matte: number; gloss: number } {
  const steps = 360;
  let [density, matte, gloss] = [0, 0, 0];
  for (let i = 0; i < steps; i++) {
    const nl = (i + 0.5) / steps;
    const sl = Math.sqrt(1 - nl * nl);
    for (let j = 0; j < steps; j++) {
      const phi = ((j + 0.5) / steps) * 2 * Math.PI;
      if (!evaluateScatter(s, OPAQUE, sl * Math.cos(phi), sl * Math.sin(phi), nl, out)) continue;
      density += out[R_DENSITY];
      matte += out[R_MATTE];
      gloss += out[R_GLOSS];
    }
  }
  const each = (2 * Math.PI) / (steps * steps);
  return { density: density * each, matte: matte * each, gloss: gloss * each };
}

/** What drawn directions give: shares of how they went, and the mean of the light that they bring. */
function drawn(s: Float64Array, glass: Glass, each?: (went: number) => void) {
  const random = randomStream(11);
  const went = [0, 0, 0, 0];
  const count = 40_000;
  let light = 0;
  for (let n = 0; n < count; n++) {
    const how = sampleScatter(s, glass, random(), random(), random(), out);
    went[how]++;
    if (how === WENT_REFLECTED) light += (out[R_MATTE] + out[R_GLOSS]) / out[R_DENSITY];
    else if (how !== WENT_NOWHERE) light += out[R_GLOSS];
    each?.(how);
  }
  return { went: went.map((n) => n / count), light: light / count };
}

const looks: [string, Look][] = [
  ['matte under a coat', { alpha: 0.25, nv: 0.8, diffuse: 0.7 }],
  ['seen at a flat angle', { alpha: 0.25, nv: 0.2, diffuse: 0.7 }],
  ['of rough metal', { alpha: 0.5, nv: 0.6, f0: 0.9 }],
  ['of rougher metal, from above', { alpha: 1, nv: 1, f0: 0.9 }],
];

describe('a surface', () => {
  it.each(looks)('%s sends directions as densely as it says, and brings what it reflects', (_name, look) => {
    const s = surfaceOf(look);
    const whole = integrals(s);
    expect(whole.density).toBeLessThan(1.005);
    const { went, light } = drawn(s, OPAQUE);
    // facets that mirror below the horizon are what is left
    expect(went[WENT_REFLECTED]).toBeCloseTo(whole.density, 2);
    expect(went[WENT_NOWHERE]).toBeCloseTo(1 - whole.density, 2);
    expect(light / (whole.matte + whole.gloss)).toBeGreaterThan(0.985);
    expect(light / (whole.matte + whole.gloss)).toBeLessThan(1.015);
  });

  it('that is white and matte under a coat reflects all there is', () => {
    for (const nv of [0.3, 0.6, 1]) {
      const { matte, gloss } = integrals(surfaceOf({ alpha: 0.3, nv, diffuse: 1 }));
      expect(Math.abs(matte + gloss - 1)).toBeLessThan(0.01);
    }
  });

  it('mirrors the same in both directions', () => {
    const cosine = fc.double({ min: 0.05, max: 1, noNaN: true });
    fc.assert(
      fc.property(cosine, cosine, fc.double({ min: 0, max: Math.PI, noNaN: true }), (nv, nl, phi) => {
        const sl = Math.sqrt(1 - nl * nl);
        const light = [sl * Math.cos(phi), sl * Math.sin(phi), nl];
        const s = surfaceOf({ alpha: 0.3, nv });
        const view = [...s.subarray(S_VIEW, S_VIEW + 3)];
        evaluateScatter(s, OPAQUE, light[0], light[1], light[2], out);
        const there = out[R_GLOSS] / nl;
        s.set(light, S_VIEW);
        evaluateScatter(s, OPAQUE, view[0], view[1], view[2], out);
        expect(out[R_GLOSS] / nv / there).toBeCloseTo(1, 9);
      }),
    );
  });

  it('with a bent normal sends nothing into itself, and says where an emitter could not have been asked', () => {
    const s = surfaceOf({ alpha: 0.4, nv: 0.5, diffuse: 0.5 });
    // leans away from the eye, so that much is sent below the face
    s.set([-Math.sin(0.6), 0, Math.cos(0.6)], S_NORMAL);
    let [asked, turned, lowest] = [0, 0, 1];
    drawn(s, OPAQUE, (how) => {
      if (how !== WENT_REFLECTED) return;
      lowest = Math.min(lowest, out[R_DIRECTION + 2]);
      if (out[R_ASKED] === 1) asked++;
      else turned++;
    });
    expect(lowest).toBeGreaterThanOrEqual(0);
    expect(turned).toBeGreaterThan(500);
    expect(asked).toBeGreaterThan(turned);
  });

  it('gives nothing to light from behind it', () => {
    expect(evaluateScatter(surfaceOf({ alpha: 0.2, nv: 0.5 }), OPAQUE, 0.6, 0, -0.8, out)).toBe(false);
  });
});

describe('glass', () => {
  /** Its facets lean by less than a thousandth. */
  const SMOOTH = 1e-6;

  it.each([
    [1.5, true],
    [1.33, true],
    [1.5, false],
  ])('of index %s bends light by the law of refraction (from outside: %s)', (ior, entering) => {
    for (const nv of [0.8, 0.95, 1]) {
      const s = surfaceOf({ alpha: SMOOTH, nv, f0: f0Of(ior), transmission: 1 });
      const sine = Math.sqrt(1 - nv * nv) * (entering ? 1 / ior : ior);
      let [through, off] = [0, 0];
      drawn(s, glassOf(ior, entering), (how) => {
        if (how !== WENT_THROUGH) return;
        through++;
        // on the other side, turned away from where it came from, in the same plane
        const [x, y, z] = out.subarray(R_DIRECTION, R_DIRECTION + 3);
        off = Math.max(off, Math.abs(x + sine), Math.abs(y), Math.abs(z + Math.sqrt(1 - sine * sine)));
      });
      expect(off).toBeLessThan(2e-3);
      expect(through).toBeGreaterThan(1000);
    }
  });

  it('loses no light between what it mirrors and what it lets through', () => {
    for (const [nv, entering] of [
      [1, true],
      [0.5, true],
      [0.9, false],
    ] as const) {
      const s = surfaceOf({ alpha: SMOOTH, nv, f0: f0Of(1.5), transmission: 1 });
      const { light, went } = drawn(s, glassOf(1.5, entering));
      expect(Math.abs(light - 1)).toBeLessThan(0.005);
      expect(went[WENT_NOWHERE]).toBeLessThan(0.005);
    }
  });

  it('mirrors all from inside beyond the critical angle', () => {
    // the critical cosine of 1.5 is 0.745
    const beyond = surfaceOf({ alpha: SMOOTH, nv: 0.72, f0: f0Of(1.5), transmission: 1 });
    expect(drawn(beyond, glassOf(1.5, false)).went[WENT_THROUGH]).toBe(0);
    const within = surfaceOf({ alpha: SMOOTH, nv: 0.8, f0: f0Of(1.5), transmission: 1 });
    expect(drawn(within, glassOf(1.5, false)).went[WENT_THROUGH]).toBeGreaterThan(0.5);
  });

  it('in a thin smooth sheet lets light go on as it came; a rough one spreads it', () => {
    const s = surfaceOf({ alpha: 0.2, nv: 0.6, f0: 0.04, transmission: 1 });
    let turned = 0;
    const straight = drawn(s, { ...OPAQUE, straight: true }, (how) => {
      const [x, y, z] = out.subarray(R_DIRECTION, R_DIRECTION + 3);
      if (how === WENT_STRAIGHT && (x !== -s[S_VIEW] || y !== -s[S_VIEW + 1] || z !== -s[S_VIEW + 2])) turned++;
    });
    expect(turned).toBe(0);
    expect(straight.went[WENT_STRAIGHT]).toBeGreaterThan(0.8);
    let widest = 0;
    const rough = drawn(s, OPAQUE, (how) => {
      if (how === WENT_THROUGH) widest = Math.max(widest, Math.abs(out[R_DIRECTION + 1]));
    });
    expect(rough.went[WENT_THROUGH]).toBeGreaterThan(0.7);
    expect(widest).toBeGreaterThan(0.2);
  });
});
