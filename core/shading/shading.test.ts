import { describe, expect, it } from 'vitest';
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
import type { ImageSource, PrimitiveSource } from '../scene/source';
import { readLayers } from '../frame/layers';

describe('interpolation', () => {
  it('of texture coordinates is right in perspective: a ramp along the floor is linear in space, not in the picture', async () => {
    const ramp: ImageSource = { name: 'ramp', width: 256, height: 1, pixels: new Uint8Array(256 * 4) };
    for (let i = 0; i < 256; i++) ramp.pixels.set([i, i, i, 255], i * 4);
    const scene = sceneOf(
      [quad(2)],
      [{ ...MATTE, emissive: [1, 1, 1], emissiveTexture: { image: 0, wrapS: 'clamp', wrapT: 'clamp' } }],
    );
    scene.images = [ramp];
    // seen along x, so that the ramp runs into the distance
    const frame = await render(scene, cameraAt([-4, 1.2, 0], [0, 0, 0]), {
      'geometry.textureBias': -2,
      'output.width': 65,
      'output.height': 65,
    });
    const srgb = (code: number): number => (code <= 0.04045 ? code / 12.92 : ((code + 0.055) / 1.055) ** 2.4);
    let checked = 0;
    for (let y = 0; y < 65; y++) {
      const i = y * 65 + 32;
      if (frame.views.objectId[i] === 0) continue;
      // from depth along the view axis back to x on the floor
      const d = frame.views.depth[i];
      const aim = [4, -1.2, 0].map((c) => c / Math.hypot(4, 1.2));
      const up = [1.2, 4, 0].map((c) => c / Math.hypot(4, 1.2));
      const t = Math.tan((20 * Math.PI) / 180) * (1 - (2 * (y + 0.5)) / 65);
      const x = -4 + d * (aim[0] + up[0] * t);
      const u = (x + 2) / 4;
      if (u < 0.05 || u > 0.95) continue;
      expect(beautyAt(frame, 32, y)[0]).toBeCloseTo(srgb((u * 256 - 0.5) / 255), 2);
      checked++;
    }
    expect(checked).toBeGreaterThan(15);
  });

  it('of vertex colours meets their mean in the middle', async () => {
    const colored: PrimitiveSource = {
      ...quad(1),
      colors: Float32Array.of(1, 0, 0, 1, 1, 0, 0, 1, 0, 1, 0, 1, 0, 1, 0, 1),
    };
    const scene = sceneOf([colored], [{ ...MATTE, baseColor: [1, 1, 1, 1] }]);
    scene.environment = environment(1);
    const frame = await render(scene, mapCamera(5, 1));
    const [r, g] = beautyAt(frame, 32, 32);
    expect(r + g).toBeCloseTo(1, 2);
    expect(Math.abs(r - g)).toBeLessThan(0.1);
  });
});

describe('shared edges', () => {
  it('are drawn once, without gap or overlap: a fan of glass slivers is as bright everywhere as one pane', async () => {
    const count = 61;
    const positions: number[] = [0.013, 0, 0.007];
    const indices: number[] = [];
    for (let i = 0; i < count; i++) {
      const a = (i / count) * Math.PI * 2;
      positions.push(Math.cos(a) * 3, 0, -Math.sin(a) * 3);
      indices.push(0, 1 + i, 1 + ((i + 1) % count));
    }
    const fan: PrimitiveSource = {
      positions: Float32Array.from(positions),
      indices: Uint32Array.from(indices),
      material: 0,
    };
    // see-through light is added per surface: twice on a seam would be brighter, a gap darker
    const scene = sceneOf([fan], [{ ...MATTE, alphaMode: 'blend', baseColor: [0, 0, 0, 0.5], emissive: [2, 2, 2] }]);
    const frame = await render(scene, mapCamera(5, 1.5), {
      'output.width': 128,
      'output.height': 128,
      'samples.pixel': 4,
    });
    for (let y = 0; y < 128; y++) for (let x = 0; x < 128; x++) expect(beautyAt(frame, x, y)[0]).toBeCloseTo(1, 5);
  });

  it('of opaque triangles leave no hole to the background', async () => {
    const n = 24;
    const positions: number[] = [];
    const indices: number[] = [];
    for (let j = 0; j <= n; j++)
      for (let i = 0; i <= n; i++)
        positions.push(((i / n) * 2 - 1) * 3, 0.3 * Math.sin(i * 1.7) * Math.cos(j * 1.3), ((j / n) * 2 - 1) * 3);
    for (let j = 0; j < n; j++)
      for (let i = 0; i < n; i++) {
        const a = j * (n + 1) + i;
        indices.push(a, a + n + 1, a + 1, a + 1, a + n + 1, a + n + 2);
      }
    const mesh: PrimitiveSource = {
      positions: Float32Array.from(positions),
      indices: Uint32Array.from(indices),
      material: 0,
    };
    const frame = await render(sceneOf([mesh]), cameraAt([0.3, 4, 0.6], [0, 0, 0], 30), {
      'output.width': 160,
      'output.height': 160,
    });
    expect(frame.views.objectId.every((id) => id === 1)).toBe(true);
  });
});

describe('glass', () => {
  it('lets through what Fresnel leaves, times its tint, at each of two faces', async () => {
    const pane = {
      ...MATTE,
      specular: 1,
      roughness: 0,
      transmission: 1,
      baseColor: [0.8, 1, 1, 1] as [number, number, number, number],
    };
    const scene = sceneOf(
      [quad(3, 1, 1), quad(3, 1.2, 1), quad(3, 0, 0)],
      [{ ...MATTE, emissive: [10, 10, 10], baseColor: [0, 0, 0, 1] }, pane],
    );
    const frame = await render(scene, mapCamera(5, 1));
    const f = ((1.5 - 1) / (1.5 + 1)) ** 2;
    const [r, g] = beautyAt(frame, 32, 32);
    expect(r / (10 * ((1 - f) * 0.8) ** 2)).toBeCloseTo(1, 2);
    expect(g / (10 * (1 - f) ** 2)).toBeCloseTo(1, 2);
  });

  it('is sorted by distance, whatever the order in the file', async () => {
    const tint = (r: number, g: number): [number, number, number, number] => [r, g, 0, 0.5];
    const near = {
      ...MATTE,
      alphaMode: 'blend' as const,
      baseColor: [0, 0, 0, 0.5] as [number, number, number, number],
      emissive: [4, 0, 0] as [number, number, number],
    };
    const far = { ...near, baseColor: tint(0, 0), emissive: [0, 4, 0] as [number, number, number] };
    const pictures = [];
    for (const order of [
      [quad(2, 2, 0), quad(2, 1, 1)],
      [quad(2, 1, 1), quad(2, 2, 0)],
    ])
      pictures.push(beautyAt(await render(sceneOf(order, [near, far]), mapCamera(5, 1)), 32, 32));
    expect(pictures[0]).toEqual(pictures[1]);
    expect(pictures[0][0]).toBeCloseTo(2, 4);
    expect(pictures[0][1]).toBeCloseTo(1, 4);
  });

  it('keeps only as many surfaces as the recipe says, the nearest', async () => {
    const glow = {
      ...MATTE,
      alphaMode: 'blend' as const,
      baseColor: [0, 0, 0, 0.5] as [number, number, number, number],
      emissive: [1, 1, 1] as [number, number, number],
    };
    const stack = [1, 2, 3, 4].map((y) => quad(2, y));
    const of = async (layers: number): Promise<number> =>
      beautyAt(await render(sceneOf(stack, [glow]), mapCamera(9, 1), { 'geometry.glassLayers': layers }), 32, 32)[0];
    expect(await of(4)).toBeCloseTo(0.5 + 0.25 + 0.125 + 0.0625, 4);
    expect(await of(2)).toBeCloseTo(0.5 + 0.25, 4);
  });
});

describe('alpha masks', () => {
  it('cut along the cutoff', async () => {
    const image: ImageSource = { name: 'half', width: 64, height: 1, pixels: new Uint8Array(64 * 4) };
    for (let i = 0; i < 64; i++) image.pixels.set([255, 255, 255, Math.round((i / 63) * 255)], i * 4);
    const masked = {
      ...MATTE,
      alphaMode: 'mask' as const,
      alphaCutoff: 0.25,
      baseColor: [1, 1, 1, 1] as [number, number, number, number],
      baseColorTexture: { image: 0, wrapS: 'clamp' as const, wrapT: 'clamp' as const },
    };
    const scene = sceneOf([quad(1)], [masked]);
    scene.images = [image];
    const frame = await render(scene, mapCamera(3, 1));
    let covered = 0;
    for (let x = 0; x < 64; x++) if (frame.views.objectId[32 * 64 + x] > 0) covered++;
    expect(covered / 64).toBeCloseTo(0.75, 1);
  });
});

describe('an even surround', () => {
  it('makes a white matte plane exactly as bright as itself', async () => {
    const scene = sceneOf([quad(5)], [{ ...MATTE, baseColor: [1, 1, 1, 1] }]);
    scene.environment = environment(7);
    const frame = await render(scene, cameraAt([0, 3, 4], [0, 0, 0]));
    expect(beautyAt(frame, 32, 32)[0] / 7).toBeCloseTo(1, 2);
  });

  it('is mirrored whole by a perfect smooth metal', async () => {
    const scene = sceneOf([quad(5)], [{ ...MATTE, baseColor: [1, 1, 1, 1], metallic: 1, roughness: 0, specular: 1 }]);
    scene.environment = environment(7);
    const frame = await render(scene, cameraAt([0, 3, 4], [0, 0, 0]));
    expect(beautyAt(frame, 32, 32)[0] / 7).toBeCloseTo(1, 2);
  });
});

describe('layers', () => {
  it('add up to beauty within a hundred-thousandth', async () => {
    const scene = sceneOf(
      [quad(3), quad(1.5, 0.6, 1)],
      [
        { ...MATTE, specular: 1, roughness: 0.3, emissive: [0.3, 0, 0] },
        { ...MATTE, transmission: 0.6, roughness: 0.1, specular: 1 },
      ],
    );
    scene.environment = environment(2);
    scene.lights = [light('sun', 20, { castsShadow: true }), light('point', 30, { castsShadow: true })];
    addNode(scene, { light: 0, rotation: DOWN });
    addNode(scene, { light: 1, translation: [0.5, 2, 0] });
    const frame = await render(scene, cameraAt([0, 2, 3], [0, 0, 0]), { 'samples.pixel': 4, 'lens.exposure': 1.5 });
    const layers = readLayers(frame.views, frame.samples, 1.5, [
      'beauty',
      'direct',
      'bounce',
      'reflection',
      'emission',
    ]);
    const [beauty, ...parts] = layers.map((l) => l.data);
    let some = 0;
    for (let i = 0; i < 64 * 64; i++) {
      for (let c = 0; c < 3; c++) {
        const sum = parts.reduce((a, p) => a + p[i * 3 + c], 0);
        expect(Math.abs(sum - beauty[i * 4 + c])).toBeLessThanOrEqual(1e-5 * Math.max(1, Math.abs(sum)));
        if (parts.every((p) => p[i * 3] > 0)) some++;
      }
    }
    expect(some).toBeGreaterThan(100);
  });

  it('scale with the exposure by powers of two', async () => {
    const scene = sceneOf([quad(3)]);
    scene.environment = environment(2);
    const dark = await render(scene, mapCamera(3, 1), { 'lens.exposure': -3 });
    const bright = await render(scene, mapCamera(3, 1), { 'lens.exposure': 2 });
    expect(beautyAt(bright, 9, 9)[0] / beautyAt(dark, 9, 9)[0]).toBeCloseTo(32, 6);
  });
});

describe('pixel samples', () => {
  it('bring the coverage of an edge to its area', async () => {
    const scene = sceneOf([quad(1)], [{ ...MATTE, emissive: [1, 1, 1] }]);
    // the edge cuts the pixel row at a third: with the box filter its brightness is the covered share
    const frame = await render(scene, mapCamera(3, 1 / 0.6366), {
      'samples.pixel': 256,
      'samples.filter': 'box',
      'samples.radius': 0.5,
    });
    const edge = 32 + (1 * 0.6366 * 64) / 2;
    const pixel = Math.floor(edge);
    expect(Math.abs(beautyAt(frame, pixel, 32)[0] - (edge - pixel))).toBeLessThan(0.02);
  });
});
