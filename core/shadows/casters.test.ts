import { describe, expect, it } from 'vitest';
import {
  addNode,
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
import type { MaterialSource, SceneSource } from '../scene/source';

const WHITE: MaterialSource = { ...MATTE, baseColor: [1, 1, 1, 1], doubleSided: true };
const GLASS: MaterialSource = { ...MATTE, name: 'red glass', baseColor: [0.8, 0.2, 0.1, 1], transmission: 1, ior: 1 };

/** A floor under a plate of half a metre, one metre up, lit straight from above. */
function plate(material: MaterialSource, kind: 'sun' | 'spot' | 'area'): SceneSource {
  const scene = sceneOf([quad(3)], [WHITE, material]);
  scene.meshes.push({ name: 'plate', primitives: [{ ...quad(0.5), material: 1 }] });
  addNode(scene, { mesh: 1, translation: [0, 1, 0] });
  scene.lights = [light(kind, 100, { castsShadow: true, width: 0.02, shape: 'square', outerConeRad: 1.2 })];
  addNode(scene, { light: 0, rotation: DOWN, translation: [0, 4, 0] });
  return scene;
}
const METHODS = [
  ['maps', {}],
  ['rays', { 'shadows.method': 'traced' }],
] as const;
const small = { 'output.width': 64, 'output.height': 64, 'shadows.resolution': 512 };
/** Direct light under the plate over light beside it, rgb. */
async function share(scene: SceneSource, more: Record<string, number | string | boolean>): Promise<number[]> {
  const frame = await render(scene, mapCamera(0.9, 2), { ...small, ...more });
  const at = (x: number, y: number): Float32Array =>
    frame.views.sums.subarray((y * 64 + x) * 16, (y * 64 + x) * 16 + 3);
  return [0, 1, 2].map((c) => at(32, 32)[c] / at(4, 32)[c]);
}

describe.each(METHODS)('shadows of glass by %s', (_name, method) => {
  it.each(['sun', 'spot', 'area'] as const)('have its colour under a %s', async (kind) => {
    const [clear, tinted] = [
      await share(plate({ ...GLASS, baseColor: [1, 1, 1, 1] }, kind), method),
      await share(plate(GLASS, kind), method),
    ];
    for (let c = 0; c < 3; c++) expect(Math.abs(tinted[c] / clear[c] - GLASS.baseColor[c])).toBeLessThan(0.01);
  });

  it('are none when coloured shadows are off', async () => {
    const [r, g] = await share(plate(GLASS, 'sun'), { ...method, 'shadows.glass': false });
    expect(r).toBeCloseTo(1, 3);
    expect(g).toBeCloseTo(1, 3);
  });

  it('do not colour what lies before the glass', async () => {
    const scene = plate(GLASS, 'sun');
    // a white plate between the light and the glass, seen from above
    scene.meshes.push({ name: 'upper', primitives: [{ ...quad(0.3), material: 0 }] });
    addNode(scene, { mesh: 2, translation: [0, 2, 0] });
    const frame = await render(scene, mapCamera(3, 2), { ...small, ...method });
    const at = (32 * 64 + 32) * 16;
    const [r, g, b] = frame.views.sums.subarray(at, at + 3);
    expect(g / r).toBeCloseTo(1, 5);
    expect(b / r).toBeCloseTo(1, 5);
  });

  it('of a blended sheet leave what its opacity does', async () => {
    const sheet: MaterialSource = { ...WHITE, baseColor: [0, 0, 0, 0.25], alphaMode: 'blend' };
    for (const s of await share(plate(sheet, 'sun'), method)) expect(s).toBeCloseTo(0.75, 2);
  });
});

describe.each(METHODS)('shadows of cut-out leaves by %s', (_name, method) => {
  it('leave the holes of their picture open', async () => {
    // left half opaque, right half a hole
    const pixels = new Uint8Array(64 * 64 * 4).fill(255);
    for (let i = 0; i < 64 * 64; i++) if (i % 64 >= 32) pixels[i * 4 + 3] = 0;
    const leaf: MaterialSource = {
      ...WHITE,
      alphaMode: 'mask',
      baseColorTexture: { image: 0, wrapS: 'clamp', wrapT: 'clamp' },
    };
    const scene = plate(leaf, 'sun');
    scene.images = [{ name: 'leaf', width: 64, height: 64, pixels }];
    const frame = await render(scene, mapCamera(0.9, 2), { ...small, ...method });
    const direct = (x: number): number => frame.views.sums[(32 * 64 + x) * 16];
    expect(direct(28)).toBe(0);
    expect(direct(36)).toBeGreaterThan(0);
    expect(direct(36)).toBeCloseTo(direct(4), 4);
  });
});

describe('a light that casts no shadow', () => {
  it.each(METHODS)('by %s goes through everything', async (_name, method) => {
    const scene = plate(WHITE, 'sun');
    scene.lights[0].castsShadow = false;
    for (const s of await share(scene, method)) expect(s).toBeCloseTo(1, 5);
  });
});

describe('contact shadows', () => {
  it('find what a coarse map loses: a small box sits on its ground', async () => {
    const scene = sceneOf([quad(3)], [WHITE]);
    const post = quad(0.02, 0.04);
    scene.meshes.push({ name: 'tile', primitives: [post, ...[0, 1, 2, 3].map((k) => wall(k))] });
    addNode(scene, { mesh: 1 });
    scene.lights = [light('sun', 10, { castsShadow: true })];
    // 30 degrees over the horizon, shining along −X
    const a = (-30 * Math.PI) / 360;
    addNode(scene, {
      light: 0,
      rotation: turn([0, Math.sin(Math.PI / 4), 0, Math.cos(Math.PI / 4)], [Math.sin(a), 0, 0, Math.cos(a)]),
    });
    scene.environment = environment(0);
    const settings = { 'output.width': 160, 'output.height': 120, 'shadows.resolution': 128, 'shadows.distance': 40 };
    const camera = cameraAt([0.1, 0.5, 0.6], [-0.03, 0, 0], 20);
    const dark = async (more: Record<string, number>): Promise<number> => {
      const frame = await render(scene, camera, { ...settings, ...more });
      let n = 0;
      for (let i = 0; i < 160 * 120; i++) if (frame.views.objectId[i] === 1 && frame.views.sums[i * 16 + 13] < 0.5) n++;
      return n;
    };
    const traced = await render(scene, camera, { ...settings, 'shadows.method': 'traced' });
    let truth = 0;
    for (let i = 0; i < 160 * 120; i++)
      if (traced.views.objectId[i] === 1 && traced.views.sums[i * 16 + 13] < 0.5) truth++;
    const without = await dark({});
    const withContact = await dark({
      'shadows.contactLength': 0.15,
      'shadows.contactThickness': 0.04,
      'shadows.contactSteps': 24,
    });
    expect(truth).toBeGreaterThan(50);
    expect(without).toBeLessThan(truth * 0.5);
    expect(withContact).toBeGreaterThan(truth * 0.7);
    expect(withContact).toBeLessThan(truth * 1.4);
  });
});

/** Product of two unit quaternions xyzw. */
function turn(a: number[], b: number[]): [number, number, number, number] {
  const [ax, ay, az, aw] = a;
  const [bx, by, bz, bw] = b;
  return [
    aw * bx + ax * bw + ay * bz - az * by,
    aw * by - ax * bz + ay * bw + az * bx,
    aw * bz + ax * by - ay * bx + az * bw,
    aw * bw - ax * bx - ay * by - az * bz,
  ];
}

/** One side of the small box. */
function wall(k: number) {
  const c = [0, 1, 0, -1][k] * 0.02;
  const s = [1, 0, -1, 0][k] * 0.02;
  return {
    positions: Float32Array.of(c + s, 0, s - c, c - s, 0, s + c, c - s, 0.04, s + c, c + s, 0.04, s - c),
    indices: Uint32Array.of(0, 1, 2, 0, 2, 3),
    material: 0,
  };
}
