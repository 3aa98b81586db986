import { describe, expect, it } from 'vitest';
import { frameLight, type FrameLight } from '../light/frameLight';
import { randomStream } from '../math/random';
import { S_ALPHA, S_BOOST, S_F0, S_F90, S_FACE, S_NORMAL, S_ROUGHNESS, S_VIEW, SURFACE_SIZE } from '../raster/surface';
import { environmentRadiance } from '../light/surroundings/kinds';
import type { LightSource } from '../scene/source';
import { STUDIO_ENVIRONMENT } from '../scene/source';
import { light } from '../testing/scenes';
import { A_DENSITY, A_RADIANCE, ARRIVAL_SIZE, arriveFromLight, meetLight } from './emitters';
import { buildEnvironmentSampler, environmentDensity, sampleEnvironment } from './environmentSampler';
import {
  evaluateScatter,
  R_DENSITY,
  R_DIRECTION,
  R_GLOSS,
  sampleScatter,
  SCATTER_SIZE,
  WENT_REFLECTED,
  type Glass,
} from './scatter';

/** Half a metre to the side and 1.5 m above the origin, shining down. */
function above(kind: LightSource['kind'], more: Partial<LightSource>): FrameLight {
  const place = {
    position: [0.5, 1.5, 0.2] as [number, number, number],
    direction: [0, -1, 0] as [number, number, number],
  };
  return frameLight({ ...light(kind, 10, more), node: -1, place }, 0, []);
}
const out = new Float64Array(ARRIVAL_SIZE);

/** A direction even over the sphere. */
function anyDirection(random: () => number): [number, number, number] {
  const y = 1 - 2 * random();
  const r = Math.sqrt(1 - y * y);
  const phi = 2 * Math.PI * random();
  return [r * Math.cos(phi), y, r * Math.sin(phi)];
}

describe.each<[string, FrameLight]>([
  ['a ball', above('point', { radius: 0.5 })],
  ['a square', above('area', { shape: 'square', width: 1 })],
  ['an ellipse on both sides', above('area', { shape: 'ellipse', width: 1.4, height: 0.7, twoSided: true })],
  ['a spot with a lens', above('spot', { radius: 0.4, outerConeRad: 1.2, innerConeRad: 0.4 })],
  ['a wide sun', above('sun', { angularDiameterRad: 0.5 })],
])('%s', (_name, l) => {
  const random = randomStream(7);
  it('gives the same light whether it is asked or met by chance', () => {
    let asked = 0;
    let met = 0;
    const n = 200_000;
    for (let k = 0; k < n; k++) {
      if (arriveFromLight(l, 0, 0, 0, random(), random(), out)) asked += (out[A_RADIANCE] / out[A_DENSITY]) * out[1];
      const [x, y, z] = anyDirection(random);
      if (meetLight(l, 0, 0, 0, x, y, z, Infinity, out)) met += out[A_RADIANCE] * y * 4 * Math.PI;
    }
    expect(met / asked).toBeGreaterThan(0.96);
    expect(met / asked).toBeLessThan(1.04);
  });

  it('is drawn with the density that a ray which meets it is told', () => {
    for (let k = 0; k < 200; k++) {
      if (!arriveFromLight(l, 0, 0, 0, random(), random(), out)) continue;
      const [x, y, z, density, radiance] = [out[0], out[1], out[2], out[A_DENSITY], out[A_RADIANCE]];
      if (!meetLight(l, 0, 0, 0, x, y, z, Infinity, out)) continue;
      expect(out[A_DENSITY] / density).toBeCloseTo(1, 6);
      expect(out[A_RADIANCE] / radiance).toBeCloseTo(1, 6);
    }
  });
});

describe('surroundings', () => {
  const radiance = environmentRadiance(STUDIO_ENVIRONMENT);
  const sampler = buildEnvironmentSampler(radiance, 64, 32)!;
  it('are drawn where they are bright, with the density they say, and add up to all their light', () => {
    const random = randomStream(3);
    const drawn = new Float64Array(4);
    const rgb = new Float64Array(3);
    let asked = 0;
    let even = 0;
    const n = 60_000;
    for (let k = 0; k < n; k++) {
      sampleEnvironment(sampler, random(), random(), drawn);
      expect(environmentDensity(sampler, drawn[0], drawn[1], drawn[2]) / drawn[3]).toBeCloseTo(1, 6);
      radiance(drawn[0], drawn[1], drawn[2], rgb);
      asked += rgb[1] / drawn[3];
      radiance(...anyDirection(random), rgb);
      even += rgb[1] * 4 * Math.PI;
    }
    expect(asked / n / sampler.total).toBeCloseTo(1, 1);
    expect(asked / even).toBeGreaterThan(0.98);
    expect(asked / even).toBeLessThan(1.02);
  });

  it('without any light are not asked', () => {
    expect(buildEnvironmentSampler((_x, _y, _z, o) => void o.fill(0), 8, 4)).toBeNull();
  });
});

describe('asking and meeting together', () => {
  /** A metal plate of a roughness, seen at 45°. */
  const plate = (roughness: number): Float64Array => {
    const s = new Float64Array(SURFACE_SIZE);
    s[S_NORMAL + 1] = s[S_FACE + 1] = 1;
    s[S_VIEW] = -Math.SQRT1_2;
    s[S_VIEW + 1] = Math.SQRT1_2;
    for (let c = 0; c < 3; c++) s[S_F0 + c] = s[S_BOOST + c] = 1;
    s[S_F90] = 1;
    s[S_ROUGHNESS] = roughness;
    s[S_ALPHA] = Math.max(0.0016, roughness * roughness);
    return s;
  };
  const none: Glass = { solid: false, ior: 1.5, entering: true, straight: false, boost: 1 };

  it.each([0.05, 0.15, 0.3, 0.5, 0.8])('keep close to the better of the two, at roughness %s', (roughness) => {
    const s = plate(roughness);
    const r = new Float64Array(SCATTER_SIZE);
    for (const radius of [0.05, 0.4, 1.2]) {
      const l = frameLight(
        { ...light('point', 10, { radius }), node: -1, place: { position: [1.5, 1.5, 0], direction: [0, -1, 0] } },
        0,
        [],
      );
      const random = randomStream(11);
      const sums = { ask: [0, 0], meet: [0, 0], both: [0, 0] };
      const n = 30_000;
      for (let k = 0; k < n; k++) {
        let [ask, askWeighted, meet, meetWeighted] = [0, 0, 0, 0];
        if (
          arriveFromLight(l, 0, 0, 0, random(), random(), out) &&
          evaluateScatter(s, none, out[0], out[1], out[2], r)
        ) {
          ask = (r[R_GLOSS] * out[A_RADIANCE]) / out[A_DENSITY];
          askWeighted = (ask * out[A_DENSITY] ** 2) / (out[A_DENSITY] ** 2 + r[R_DENSITY] ** 2);
        }
        if (sampleScatter(s, none, random(), random(), random(), r) === WENT_REFLECTED) {
          const [x, y, z] = [r[R_DIRECTION], r[R_DIRECTION + 1], r[R_DIRECTION + 2]];
          if (meetLight(l, 0, 0, 0, x, y, z, Infinity, out)) {
            meet = (r[R_GLOSS] * out[A_RADIANCE]) / r[R_DENSITY];
            meetWeighted = (meet * r[R_DENSITY] ** 2) / (out[A_DENSITY] ** 2 + r[R_DENSITY] ** 2);
          }
        }
        for (const [name, v] of [
          ['ask', ask],
          ['meet', meet],
          ['both', askWeighted + meetWeighted],
        ] as const) {
          sums[name][0] += v / n;
          sums[name][1] += (v * v) / n;
        }
      }
      const spread = ([mean, square]: number[]): number => Math.sqrt(Math.max(0, square - mean * mean));
      const better = Math.min(spread(sums.ask), spread(sums.meet));
      // the bound of Veach & Guibas 1995 for one sample of each
      expect(spread(sums.both), `radius ${radius}`).toBeLessThan(Math.sqrt(better ** 2 + sums.both[0] ** 2));
      // and it finds the light that the better of the two finds, as far as their spread lets it be known
      const sure = spread(sums.ask) < spread(sums.meet) ? sums.ask : sums.meet;
      const known = (5 * (spread(sure) + spread(sums.both))) / Math.sqrt(n);
      expect(Math.abs(sums.both[0] - sure[0])).toBeLessThan(known + 1e-3 * sure[0]);
    }
  });
});
