import { describe, expect, it } from 'vitest';
import { luminance } from '../math/color';
import type { TierValues } from '../recipe/recipe';
import { DEFAULT_MATERIAL, type MaterialSource, type PrimitiveSource, type SceneSource } from '../scene/source';
import {
  addNode,
  beautyAt,
  cameraAt,
  DOWN,
  environment,
  light,
  mapCamera,
  MATTE,
  quad,
  render,
  sceneOf,
} from '../testing/scenes';
import { SUM_COVERAGE, SUMS } from '../light/components';
import type { RenderedFrame } from '../frame/renderPool';

const path = (samples: number, more: TierValues = {}): TierValues => ({
  'samples.method': 'path',
  'samples.pixel': samples,
  'output.width': 16,
  'output.height': 16,
  ...more,
});
/** Mean luminance over the picture. */
function mean(frame: RenderedFrame): number {
  let sum = 0;
  for (let i = 0; i < frame.width * frame.height; i++) {
    const b = frame.views.beauty;
    sum += luminance(b[i * 3], b[i * 3 + 1], b[i * 3 + 2]);
  }
  return sum / (frame.width * frame.height);
}
const white = (more: Partial<MaterialSource>): MaterialSource => ({
  ...DEFAULT_MATERIAL,
  baseColor: [1, 1, 1, 1],
  ...more,
});

/** A ball of radius 1 about the origin. */
function ball(material = 0, rings = 48): PrimitiveSource {
  const positions: number[] = [];
  const indices: number[] = [];
  const row = rings * 2 + 1;
  for (let j = 0; j <= rings; j++)
    for (let i = 0; i < row; i++) {
      const theta = (Math.PI * j) / rings;
      const phi = (2 * Math.PI * i) / (rings * 2);
      positions.push(Math.sin(theta) * Math.sin(phi), Math.cos(theta), Math.sin(theta) * Math.cos(phi));
      if (j < rings && i < rings * 2) {
        const a = j * row + i;
        indices.push(a, a + row, a + row + 1, a, a + row + 1, a + 1);
      }
    }
  return {
    positions: Float32Array.from(positions),
    normals: Float32Array.from(positions),
    uvs: new Float32Array((positions.length / 3) * 2),
    indices: Uint32Array.from(indices),
    material,
  };
}

describe('a white furnace', () => {
  const inFurnace = async (material: MaterialSource, samples = 32): Promise<number> => {
    const scene = sceneOf([ball()], [material]);
    scene.environment = environment(1);
    return mean(await render(scene, cameraAt([0, 0, 3], [0, 0, 0], 30), path(samples)));
  };
  it.each([0, 0.1, 0.3, 0.5, 0.7, 0.85, 1])('gives back a metal of roughness %s within half a per cent', async (r) => {
    const level = await inFurnace(white({ metallic: 1, roughness: r }));
    expect(Math.abs(level - 1)).toBeLessThan(0.005);
  });
  it.each([0, 0.3, 0.6, 1])('gives back a coated matte surface of roughness %s within half a per cent', async (r) => {
    expect(Math.abs((await inFurnace(white({ roughness: r }))) - 1)).toBeLessThan(0.005);
  });
  it.each([0, 0.4, 0.8])('gives back clear solid glass of roughness %s within one per cent', async (r) => {
    const glass = white({ transmission: 1, roughness: r, thickness: 1 });
    const level = await inFurnace(glass, 64);
    expect(Math.abs(level - 1)).toBeLessThan(0.01);
  });
  it('shows no black where normals are bent', async () => {
    const bumps = new Uint8Array(64 * 64 * 4);
    for (let i = 0; i < 64 * 64; i++)
      bumps.set([128 + 110 * Math.sin(i * 0.7), 128 + 110 * Math.cos((i >> 6) * 0.9), 150, 255], i * 4);
    const rough: MaterialSource = {
      ...white({ metallic: 1, roughness: 0.2 }),
      normalTexture: { image: 0, wrapS: 'repeat', wrapT: 'repeat' },
    };
    const scene = sceneOf([quad(4)], [rough]);
    scene.images = [{ name: 'bumps', width: 64, height: 64, pixels: bumps }];
    scene.environment = environment(1);
    const frame = await render(scene, cameraAt([0, 0.6, 3], [0, 0, 0], 30), path(64));
    for (let y = 8; y < 16; y++) for (let x = 0; x < 16; x++) expect(beautyAt(frame, x, y)[1]).toBeGreaterThan(0.6);
  });
});

describe('direct light', () => {
  /** Radiance of a white-ish matte floor seen from above, at its middle. */
  const floor = (): SceneSource => sceneOf([quad(20)], [{ ...MATTE, baseColor: [0.5, 0.5, 0.5, 1] }]);
  const middle = async (scene: SceneSource, samples = 256): Promise<number> =>
    mean(await render(scene, mapCamera(10, 0.05), path(samples, { 'bounce.total': 0 })));

  it('falls with the square of the distance', async () => {
    for (const h of [1, 2, 4]) {
      const scene = floor();
      addNode(scene, { translation: [0, h, 0], light: scene.lights.push(light('point', 100)) - 1 });
      expect(((await middle(scene, 1)) / ((0.5 / Math.PI) * 100)) * h * h).toBeCloseTo(1, 2);
    }
  });

  it('of a ball is that of its solid angle', async () => {
    // irradiance of a ball of luminance L straight above: π L r² / d²
    const scene = floor();
    addNode(scene, { translation: [0, 1.5, 0], light: scene.lights.push(light('point', 100, { radius: 0.7 })) - 1 });
    const luminanceOfBall = 100 / (Math.PI * 0.7 ** 2);
    const expected = (0.5 / Math.PI) * Math.PI * luminanceOfBall * (0.7 / 1.5) ** 2;
    expect((await middle(scene)) / expected).toBeCloseTo(1, 2);
  });

  it('of a square is its form factor', async () => {
    // a square of side 2a over a point at distance d: F = 4/π · X/√(1+X²) · atan(X/√(1+X²)), X = a/d
    const scene = floor();
    const area = light('area', 50, { shape: 'square', width: 2 });
    addNode(scene, { translation: [0, 1.2, 0], rotation: DOWN, light: scene.lights.push(area) - 1 });
    const X = 1 / 1.2;
    const k = X / Math.sqrt(1 + X * X);
    const expected = 0.5 * 50 * (4 / Math.PI) * k * Math.atan(k);
    expect((await middle(scene)) / expected).toBeCloseTo(1, 2);
  });

  it('of an even sky through a square opening is its form factor; a portal there leaves it so, with less noise', async () => {
    const [half, height, FAR] = [0.4, 2, 9000];
    const expected = async (portal: boolean): Promise<{ level: number; noise: number }> => {
      const black = { ...MATTE, baseColor: [0, 0, 0, 1] as [number, number, number, number] };
      // a black ceiling of four sheets leaves the opening free
      const sheet = (x0: number, z0: number, x1: number, z1: number): PrimitiveSource => ({
        ...quad(1, height, 1),
        positions: Float32Array.of(x0, height, z0, x1, height, z0, x1, height, z1, x0, height, z1),
      });
      const scene = sceneOf(
        [
          quad(60),
          sheet(-FAR, -FAR, FAR, -half),
          sheet(-FAR, half, FAR, FAR),
          sheet(-FAR, -half, -half, half),
          sheet(half, -half, FAR, half),
        ],
        [{ ...MATTE, baseColor: [0.5, 0.5, 0.5, 1] }, black],
      );
      scene.environment = environment(1);
      const opening = { width: 2 * half, height: 2 * half };
      if (portal) addNode(scene, { translation: [0, height, 0], rotation: DOWN, portal: opening });
      const frame = await render(
        scene,
        cameraAt([0.1, 1, 0.1], [0, 0, 0], 0.3),
        path(1024, { 'bounce.total': 0, 'output.width': 8, 'output.height': 8 }),
      );
      return { level: mean(frame), noise: frame.path!.noise };
    };
    const k = half / height / Math.sqrt(1 + (half / height) ** 2);
    const closed = 0.5 * (4 / Math.PI) * k * Math.atan(k);
    const [without, guided] = [await expected(false), await expected(true)];
    expect(Math.abs(without.level / closed - 1)).toBeLessThan(0.03);
    expect(Math.abs(guided.level / closed - 1)).toBeLessThan(0.005);
    expect(guided.noise).toBeLessThan(without.noise / 5);
  });

  it('of a glowing square is the same as of a square lamp', async () => {
    const scene = sceneOf(
      [quad(20), { ...quad(1, 1.2, 1), indices: Uint32Array.of(0, 2, 1, 0, 3, 2) }],
      [
        { ...MATTE, baseColor: [0.5, 0.5, 0.5, 1] },
        { ...MATTE, name: 'glow', baseColor: [0, 0, 0, 1], emissive: [50, 50, 50] },
      ],
    );
    const X = 1 / 1.2;
    const k = X / Math.sqrt(1 + X * X);
    const frame = await render(scene, mapCamera(1.1, 0.05), path(256, { 'bounce.total': 0 }));
    expect(mean(frame) / (0.5 * 50 * (4 / Math.PI) * k * Math.atan(k))).toBeCloseTo(1, 2);
  });

  it('of a sun with a disc is its illuminance times the cosine', async () => {
    const scene = floor();
    const sun = light('sun', 1000, { angularDiameterRad: 0.2 });
    const half = Math.PI / 6;
    addNode(scene, {
      rotation: [-Math.sin(Math.PI / 4 - half / 2), 0, 0, Math.cos(Math.PI / 4 - half / 2)],
      light: scene.lights.push(sun) - 1,
    });
    expect((await middle(scene)) / ((0.5 / Math.PI) * 1000 * Math.cos(half))).toBeCloseTo(1, 2);
  });

  it('of an even sky is all of it', async () => {
    const scene = floor();
    scene.environment = environment(3);
    expect((await middle(scene, 128)) / (0.5 * 3)).toBeCloseTo(1, 2);
  });
});

describe('against the rasteriser', () => {
  it('direct light of matte scenes agrees within one per cent, lamp by lamp', async () => {
    const kinds = [
      light('point', 300, { radius: 0.3, castsShadow: true }),
      light('spot', 800, { castsShadow: true, outerConeRad: 0.6, innerConeRad: 0.3 }),
      light('area', 90, { shape: 'ellipse', width: 1.4, height: 0.6, castsShadow: true }),
      light('sun', 400, { castsShadow: true, angularDiameterRad: 0.1 }),
    ];
    for (const lamp of kinds) {
      const scene = sceneOf([quad(3), quad(0.4, 0.8)], [{ ...MATTE, doubleSided: true }]);
      addNode(scene, { translation: [0.3, 2.5, 0.2], rotation: DOWN, light: scene.lights.push(lamp) - 1 });
      const camera = cameraAt([1, 3, 3], [0, 0.2, 0], 45);
      const size = { 'output.width': 24, 'output.height': 24, 'samples.filter': 'box', 'samples.radius': 0.5 };
      const fast = await render(scene, camera, {
        ...size,
        'samples.pixel': 64,
        'shadows.method': 'traced',
        'shadows.lightSamples': 4,
      });
      const exact = await render(scene, camera, path(256, { ...size, 'bounce.total': 0 }));
      expect(mean(exact) / mean(fast), lamp.kind).toBeGreaterThan(0.99);
      expect(mean(exact) / mean(fast), lamp.kind).toBeLessThan(1.01);
      expect(exact.views.sums[(12 * 24 + 12) * SUMS + SUM_COVERAGE]).toBe(256);
    }
  });
});

describe('bounced light', () => {
  it('in a closed grey room is the series of its bounces', async () => {
    // inside a ball of even reflectance ρ and glow E every bounce adds ρ times the last: E / (1 − ρ)
    const inner = ball();
    inner.indices = inner.indices.slice().reverse();
    inner.normals = inner.normals!.map((c) => -c);
    const room = {
      ...MATTE,
      baseColor: [0.6, 0.6, 0.6, 1] as [number, number, number, number],
      emissive: [1, 1, 1] as [number, number, number],
    };
    for (const [bounces, expected] of [
      [0, 1 + 0.6],
      [2, 1 + 0.6 + 0.36 + 0.216],
      [40, 1 / 0.4],
    ]) {
      const values = path(64, { 'bounce.total': bounces, 'bounce.matte': 64, 'bounce.roulette': 5 });
      const level = mean(await render(sceneOf([inner], [room]), cameraAt([0, 0, 0], [0, 0, 1], 50), values));
      expect(level / expected, `${bounces} bounces`).toBeCloseTo(1, 2);
    }
  });

  it('between two parallel squares is their form factor', async () => {
    // the middle of a floor under a square of the same size that the lamp lights from below is seen by F
    const scene = sceneOf(
      [quad(1), { ...quad(1, 1, 1), indices: Uint32Array.of(0, 2, 1, 0, 3, 2) }],
      [
        { ...MATTE, baseColor: [0.5, 0.5, 0.5, 1] },
        { ...MATTE, name: 'glow', baseColor: [0, 0, 0, 1], emissive: [10, 10, 10] },
      ],
    );
    const frame = await render(scene, mapCamera(0.9, 0.02), path(256));
    const k = 1 / Math.sqrt(2);
    expect(mean(frame) / (0.5 * 10 * (4 / Math.PI) * k * Math.atan(k))).toBeCloseTo(1, 2);
  });
});

describe('scenes with nothing to follow', () => {
  it('without any light are black, and certain of it', async () => {
    const frame = await render(sceneOf([quad(3)]), cameraAt([1, 2, 2], [0, 0, 0]), path(4));
    expect(mean(frame)).toBe(0);
    expect(frame.path).toEqual({ noise: 0, clamped: 0, samples: 4 });
  });

  it('closed and black end with what glows', async () => {
    const inner = ball();
    inner.indices = inner.indices.slice().reverse();
    inner.normals = inner.normals!.map((c) => -c);
    const black = { ...MATTE, baseColor: [0, 0, 0, 1] as [number, number, number, number] };
    const glowing = { ...black, emissive: [2, 2, 2] as [number, number, number] };
    const level = async (m: MaterialSource): Promise<number> =>
      mean(await render(sceneOf([inner], [m]), cameraAt([0, 0, 0], [0, 0, 1], 50), path(4)));
    expect(await level(black)).toBe(0);
    expect(await level(glowing)).toBeCloseTo(2, 5);
  });

  it('with a light of wild strength stay numbers', async () => {
    const scene = sceneOf([quad(3)], [{ ...DEFAULT_MATERIAL, metallic: 1, roughness: 0 }]);
    addNode(scene, { translation: [0, 1e-7, 0], light: scene.lights.push(light('point', 1e30, { radius: 1e-9 })) - 1 });
    addNode(scene, {
      translation: [0, 1, 0],
      light: scene.lights.push(light('area', -1e20, { width: 0, shape: 'square' })) - 1,
    });
    const frame = await render(scene, cameraAt([1, 2, 2], [0, 0, 0]), path(8));
    expect(frame.views.beauty.every((v) => Number.isFinite(v))).toBe(true);
  });
});

describe('the firefly clamp', () => {
  it('cuts bounced light alone, and says how much it took', async () => {
    const scene = (): SceneSource => {
      const s = sceneOf([quad(3), quad(0.5, 0.6)], [{ ...MATTE, doubleSided: true, baseColor: [0.8, 0.8, 0.8, 1] }]);
      addNode(s, {
        translation: [0, 2, 0],
        light: s.lights.push(light('point', 40, { radius: 0.1, castsShadow: true })) - 1,
      });
      return s;
    };
    const camera = cameraAt([1, 3, 3], [0, 0.2, 0], 40);
    const [free, held] = [
      await render(scene(), camera, path(32)),
      await render(scene(), camera, path(32, { 'bounce.clamp': 1, 'lens.exposure': 3 })),
    ];
    expect(free.path!.clamped).toBe(0);
    expect(held.path!.clamped).toBeGreaterThan(0.001);
    expect(held.notes.join(' ')).toMatch(/firefly clamp took/);
    const direct = (f: RenderedFrame): number => {
      let sum = 0;
      for (let i = 0; i < 256; i++) sum += f.views.sums[i * SUMS];
      return sum;
    };
    // direct light is never clamped
    expect(direct(held) / direct(free)).toBeCloseTo(1, 5);
  });
});

describe('noise', () => {
  const scene = (): SceneSource => {
    const s = sceneOf([quad(3), quad(0.5, 0.6)], [{ ...MATTE, doubleSided: true }]);
    s.environment = environment(0.5);
    const area = light('area', 50, { shape: 'square', width: 1, castsShadow: true });
    addNode(s, { translation: [0, 2, 0], rotation: DOWN, light: s.lights.push(area) - 1 });
    return s;
  };
  const camera = cameraAt([1, 3, 3], [0, 0.2, 0], 40);

  it('of many seeds shrinks with the root of the samples or faster, about the same mean', async () => {
    const reference = mean(await render(scene(), camera, path(2048)));
    const errors: number[] = [];
    for (const n of [1, 4, 16]) {
      let square = 0;
      let sum = 0;
      const runs = 12;
      for (let k = 0; k < runs; k++) {
        const values = path(n, {
          'output.width': 16,
          'output.height': 16,
          'lens.exposure': 0,
          'samples.pattern': 'moving',
        });
        const level = mean(await render(scene(), camera, values, k / 24));
        sum += level;
        square += (level - reference) ** 2;
      }
      const rms = Math.sqrt(square / runs);
      expect(Math.abs(sum / runs - reference), `${n} samples`).toBeLessThan(
        4 * (rms / Math.sqrt(runs)) + 1e-3 * reference,
      );
      errors.push(rms);
    }
    // two octaves a step: plain sampling halves the error, a stratified pattern does better
    expect(errors[0] / errors[1]).toBeGreaterThan(1.6);
    expect(errors[1] / errors[2]).toBeGreaterThan(1.6);
  });

  it('is known: the stated error is the true one within a third', async () => {
    const frame = await render(scene(), camera, path(32));
    const truth = await render(scene(), camera, path(256, { 'samples.pattern': 'moving' }), 1);
    let square = 0;
    for (let i = 0; i < 256; i++) {
      const difference = (k: number): number => frame.views.beauty[i * 3 + k] - truth.views.beauty[i * 3 + k];
      const light = Math.abs(truth.views.beauty[i * 3 + 1]) + 0.05;
      square += (luminance(difference(0), difference(1), difference(2)) / light) ** 2;
    }
    const actual = Math.sqrt(square / 256);
    // samples that fill the pixel evenly do better than their spread lets expect, never worse
    expect(frame.path!.noise).toBeGreaterThan(actual * 0.67);
  });
});
