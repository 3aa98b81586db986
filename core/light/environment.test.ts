import { describe, expect, it } from 'vitest';
import { irradianceAt } from '../math/sh';
import { squareToSphere } from '../math/octahedron';
import { type RadianceFunction } from './surroundings/kind';
import { environmentRadiance } from './surroundings/kinds';
import { STUDIO_ENVIRONMENT, type EnvironmentPicture } from '../scene/source';
import type { EnvironmentSource } from './surroundings/document';
import { createEnvironmentFiller, ENVIRONMENT_ITEMS, ENVIRONMENT_MAP, ENVIRONMENT_SH } from './environmentTables';
import { pictureMips } from './surroundings/picture';
import { splitSun } from './surroundings/splitSun';
import {
  addNode,
  beautyAt,
  cameraAt,
  DOWN,
  environment,
  light,
  MATTE,
  mapCamera,
  quad,
  render,
  sceneOf,
} from '../testing/scenes';

const tables = (e: EnvironmentSource, picture: EnvironmentPicture | null = null) => {
  const sh = new Float32Array(ENVIRONMENT_SH);
  const map = new Float32Array(ENVIRONMENT_MAP);
  const fill = createEnvironmentFiller(e, picture);
  for (let i = 0; i < ENVIRONMENT_ITEMS; i++) fill(i, sh, map);
  return { sh, map };
};

/** A sky as pictures have it: blue above, brown below, a soft bright cloud. */
function sky(width = 256): EnvironmentPicture {
  const height = width / 2;
  const rgb = new Float32Array(width * height * 3);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const up = Math.cos(((y + 0.5) / height) * Math.PI);
      const phi = ((x + 0.5) / width - 0.5) * 2 * Math.PI;
      const cloud = 4 * Math.exp(-3 * (1 - (Math.sqrt(1 - up * up) * Math.cos(phi - 1) * 0.8 + up * 0.6)));
      const base = up > 0 ? [0.3 + up, 0.5 + up, 1 + up] : [0.3, 0.25 - 0.1 * up, 0.2];
      rgb.set(
        base.map((c) => c + cloud),
        (y * width + x) * 3,
      );
    }
  }
  return { width, height, rgb };
}
const pictured = (more: Partial<EnvironmentSource> = {}): EnvironmentSource => ({
  ...environment(0),
  kind: 'picture',
  picture: 'scene',
  ...more,
});

/** ∫ L cos over the hemisphere of a normal, by brute force. */
function irradiance(radiance: RadianceFunction, n: number[]): number[] {
  const side = 400;
  const d = new Float64Array(3);
  const rgb = new Float64Array(3);
  const sum = [0, 0, 0];
  for (let i = 0; i < side * side; i++) {
    squareToSphere(((i % side) + 0.5) / side, (Math.floor(i / side) + 0.5) / side, d);
    const c = d[0] * n[0] + d[1] * n[1] + d[2] * n[2];
    if (c <= 0) continue;
    radiance(d[0], d[1], d[2], rgb);
    for (let k = 0; k < 3; k++) sum[k] += rgb[k] * c;
  }
  return sum.map((s) => (s * 4 * Math.PI) / (side * side));
}

describe('irradiance from the environment', () => {
  it.each([
    ['the studio', STUDIO_ENVIRONMENT, null],
    ['a picture of a sky', pictured({ rotationDeg: 40, strength: 2 }), sky()],
  ] as const)('of %s agrees with the integral within a hundredth', (_name, e, picture) => {
    const { sh } = tables(e, picture);
    const exact = environmentRadiance(e, picture);
    const out = new Float64Array(3);
    for (const n of [
      [0, 1, 0],
      [0, -1, 0],
      [1, 0, 0],
      [0, 0, 1],
      [-0.6, 0.8, 0],
      [0.48, 0.6, -0.64],
    ]) {
      const expected = irradiance(exact, n);
      irradianceAt(sh, n[0], n[1], n[2], out);
      for (let c = 0; c < 3; c++) {
        expect(out[c] / expected[c]).toBeGreaterThan(0.99);
        expect(out[c] / expected[c]).toBeLessThan(1.01);
      }
    }
  });

  it('is switched and weighed apart from what the camera sees and what is mirrored', async () => {
    const seen = async (more: Partial<EnvironmentSource>) => {
      const scene = sceneOf([quad(1)], [{ ...MATTE, baseColor: [1, 1, 1, 1] }]);
      scene.environment = { ...environment(2), ...more };
      const frame = await render(scene, mapCamera(3, 1.5));
      return { floor: beautyAt(frame, 32, 32)[0], sky: beautyAt(frame, 1, 1)[0] };
    };
    expect(await seen({ lightsSurfaces: false })).toEqual({ floor: 0, sky: 2 });
    expect((await seen({ seenByCamera: false })).sky).toBe(0);
    const weighed = await seen({ lightStrength: 0.25, cameraStrength: 3 });
    expect(weighed.floor).toBeCloseTo(0.5, 3);
    expect(weighed.sky).toBeCloseTo(6, 5);
  });
});

describe.each([
  ['lightsSurfaces', 'bounce.environment', 3],
  ['seenInReflections', 'reflections.environment', 6],
] as const)('an environment that is switched off (%s)', (use, setting, at) => {
  it('takes its layer away and leaves the others as they are, like the setting at zero', async () => {
    const scene = sceneOf(
      [quad(1), quad(0.5, 0.5)],
      [{ ...MATTE, baseColor: [0.8, 0.6, 0.4, 1], roughness: 0.4, specular: 1 }],
    );
    scene.environment = environment(2);
    scene.lights = [light('sun', 3, { castsShadow: true })];
    addNode(scene, { light: 0, rotation: DOWN });
    const camera = cameraAt([0.4, 1.5, 2], [0, 0, 0]);
    const sumsOf = async (): Promise<Float32Array> => (await render(scene, camera)).views.sums.slice();
    const before = await sumsOf();
    const atZero = (await render(scene, camera, { [setting]: 0 })).views.sums.slice();
    scene.environment = { ...environment(2), [use]: false };
    const off = await sumsOf();
    expect(off).toEqual(atZero);
    let lost = 0;
    before.forEach((value, i) => {
      const layer = i % 16;
      if (layer < at || layer >= at + 3) return expect(off[i]).toBe(value);
      lost += value;
      expect(off[i]).toBe(0);
    });
    expect(lost).toBeGreaterThan(1);
  });
});

describe('a picture', () => {
  it('is met where its columns say: the middle along −Z, a quarter further along +X', () => {
    const picture = sky(64);
    picture.rgb.fill(0);
    picture.rgb.set([5, 0, 0], (16 * 64 + 32) * 3);
    picture.rgb.set([0, 7, 0], (16 * 64 + 48) * 3);
    const out = new Float64Array(3);
    const at = (e: EnvironmentSource, x: number, z: number): number[] => {
      const angle = Math.atan2(x, -z) + Math.PI / 64;
      // the centre of that pixel, half a row below the horizon
      const down = Math.sin(Math.PI / 64);
      const flat = Math.cos(Math.PI / 64);
      environmentRadiance(e, picture)(Math.sin(angle) * flat, -down, -Math.cos(angle) * flat, out);
      return [...out].map((v) => Math.round(v));
    };
    expect(at(pictured(), 0, -1)).toEqual([5, 0, 0]);
    expect(at(pictured(), 1, 0)).toEqual([0, 7, 0]);
    // a quarter turn about the vertical carries what lay along −Z to −X
    expect(at(pictured({ rotationDeg: 90 }), -1, 0)).toEqual([5, 0, 0]);
  });

  it('keeps its light when it is halved', () => {
    const total = ({ width, height, rgb }: EnvironmentPicture): number => {
      let sum = 0;
      for (let y = 0; y < height; y++)
        for (let x = 0; x < width; x++) sum += rgb[(y * width + x) * 3] * Math.sin(((y + 0.5) / height) * Math.PI);
      return sum / (width * height);
    };
    const mips = pictureMips(sky());
    for (const mip of mips.slice(1, 4)) expect(total(mip) / total(mips[0])).toBeCloseTo(1, 2);
  });
});

describe('a sun split off a picture', () => {
  const withSun = (): EnvironmentPicture => {
    const picture = sky(512);
    // a disc of 3° radius, 40° up, 30° to the right of −Z
    const d = [Math.cos(0.698) * Math.sin(0.5236), Math.sin(0.698), -Math.cos(0.698) * Math.cos(0.5236)];
    for (let y = 0; y < 256; y++)
      for (let x = 0; x < 512; x++) {
        const theta = ((y + 0.5) / 256) * Math.PI;
        const phi = ((x + 0.5) / 512 - 0.5) * 2 * Math.PI;
        const c =
          Math.sin(theta) * Math.sin(phi) * d[0] + Math.cos(theta) * d[1] - Math.sin(theta) * Math.cos(phi) * d[2];
        if (c > Math.cos(0.0524)) picture.rgb.set([9000, 8000, 7000], (y * 512 + x) * 3);
      }
    return picture;
  };

  it('has the direction, the light and about the width of the spot', () => {
    const sun = splitSun(withSun())!;
    expect(sun.towards[1]).toBeCloseTo(Math.sin(0.698), 2);
    expect(Math.atan2(sun.towards[0], -sun.towards[2])).toBeCloseTo(0.5236, 2);
    const solid = 2 * Math.PI * (1 - Math.cos(0.0524));
    expect(sun.illuminance[0] / (9000 * solid)).toBeGreaterThan(0.93);
    expect(sun.illuminance[0] / (9000 * solid)).toBeLessThan(1.07);
    expect(sun.angularDiameterDeg).toBeGreaterThan(5);
    expect(sun.angularDiameterDeg).toBeLessThan(7);
  });

  it('leaves a picture that, with the sun added, gives the light there was', () => {
    const picture = withSun();
    const sun = splitSun(picture)!;
    const before = irradiance(environmentRadiance(pictured(), picture), [0, 1, 0]);
    const rest = irradiance(environmentRadiance(pictured({ cut: sun.cut }), picture), [0, 1, 0]);
    for (let c = 0; c < 3; c++) {
      const sum = rest[c] + sun.illuminance[c] * sun.towards[1];
      expect(sum / before[c]).toBeGreaterThan(0.97);
      expect(sum / before[c]).toBeLessThan(1.03);
    }
  });

  it('is not found in an even sky', () => {
    const grey = sky(64);
    grey.rgb.fill(1);
    expect(splitSun(grey)).toBeNull();
    grey.rgb.fill(0);
    expect(splitSun(grey)).toBeNull();
  });
});
