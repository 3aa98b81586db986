import { beforeAll, describe, expect, it } from 'vitest';
import { srgbToLinear } from '@daxel/core/math/color';
import { StabilityMeter } from '@daxel/core/measure/stability/meter';
import { compileScene } from '@daxel/core/scene/compileScene';
import type { Simplifier } from '@daxel/core/scene/detail';
import { addNode, cameraAt, environment, light, quad, render, sceneOf } from '@daxel/core/testing/scenes';
import { meshSimplifier } from './simplify';

/** A ball of radius 1, as rings and segments. @param bumps their height */
function ball(rings: number, segments: number, bumps = 0) {
  const positions: number[] = [];
  const indices: number[] = [];
  for (let r = 0; r <= rings; r++)
    for (let s = 0; s <= segments; s++) {
      const [a, b] = [(r / rings) * Math.PI, (s / segments) * 2 * Math.PI];
      const r1 = 1 + bumps * Math.sin(7 * a) * Math.sin(9 * b);
      positions.push(r1 * Math.sin(a) * Math.cos(b), r1 * Math.cos(a), r1 * Math.sin(a) * Math.sin(b));
      if (r === rings || s === segments) continue;
      const i = r * (segments + 1) + s;
      indices.push(i, i + 1, i + segments + 1, i + 1, i + segments + 2, i + segments + 1);
    }
  const vertices = Float32Array.from(positions);
  return { positions: vertices, normals: vertices, indices: Uint32Array.from(indices), material: 0 };
}

/** Volume that closed triangles enclose. */
function volume(positions: Float32Array, indices: Uint32Array): number {
  let six = 0;
  const at = (k: number): Float32Array => positions.subarray(indices[k] * 3, indices[k] * 3 + 3);
  for (let k = 0; k < indices.length; k += 3) {
    const [a, b, c] = [at(k), at(k + 1), at(k + 2)];
    six += a[0] * (b[1] * c[2] - b[2] * c[1]) + a[1] * (b[2] * c[0] - b[0] * c[2]) + a[2] * (b[0] * c[1] - b[1] * c[0]);
  }
  return Math.abs(six) / 6;
}

describe('levels of detail', () => {
  let simplify: Simplifier;
  beforeAll(async () => {
    simplify = await meshSimplifier();
  });

  it('have about half of the triangles each, and nearly the same body', () => {
    const mesh = ball(32, 64);
    const levels = simplify(mesh);
    expect(levels.length).toBe(3);
    const whole = volume(mesh.positions, mesh.indices);
    levels.forEach(({ indices }, l) => {
      expect(indices.length / mesh.indices.length).toBeLessThan(0.65 ** (l + 1));
      expect(volume(mesh.positions, indices) / whole).toBeGreaterThan(1 - [0.03, 0.06, 0.15][l]);
    });
  });

  it('of very dense meshes keep their body and close, with corners merged', () => {
    const mesh = ball(512, 512, 0.05);
    expect(mesh.indices.length / 3).toBeGreaterThan(500_000);
    const levels = simplify(mesh);
    expect(levels.length).toBe(3);
    const whole = volume(mesh.positions, mesh.indices);
    levels.forEach(({ indices }, l) => {
      expect(indices.length / mesh.indices.length).toBeLessThan(0.6 ** (l + 1));
      expect(Math.abs(volume(mesh.positions, indices) / whole - 1)).toBeLessThan(0.002);
    });
  });

  it('are not made of small meshes, nor broken by normals that are no numbers', () => {
    const { positions, normals, indices } = quad(1);
    expect(simplify({ positions, normals: normals!, indices })).toEqual([]);
    const mesh = ball(16, 32);
    expect(simplify({ ...mesh, normals: mesh.normals.map(() => NaN) }).length).toBeGreaterThan(0);
  });

  it('pop when the camera passes the distance at which they change, and the stability of the run says so', async () => {
    const source = sceneOf([quad(20, -1.2)]);
    source.environment = environment(0.3);
    source.meshes.push({ name: 'ball', primitives: [{ ...ball(32, 64, 0.06), normals: undefined }] });
    addNode(source, { mesh: 1 });
    source.lights.push(light('sun', 3, { castsShadow: true }));
    addNode(source, { light: 0, rotation: [-0.55, 0.25, 0, 0.8] });
    const [width, height] = [96, 64];
    const popping = async (values: Record<string, number | boolean>) => {
      const meter = new StabilityMeter({ width, height });
      for (let number = 0; number < 16; number++) {
        // the camera stands and looks through a lens that opens, so that nothing but the level changes
        const camera = cameraAt([0, 0.4, 8], [0, 0, 0], 30 + number * 0.03);
        const { views } = await render(
          source,
          camera,
          { 'output.width': width, 'output.height': height, 'samples.pixel': 8, ...values },
          0,
          { simplify },
        );
        const luminance = Float32Array.from({ length: width * height }, (_, i) =>
          srgbToLinear(views.display[i * 4 + 1] / 255),
        );
        meter.add({ number, luminance, motion: null, ids: null });
      }
      return meter.report();
    };
    // from a quarter of the triangles to an eighth in the middle of the run
    const radius = compileScene(source).instanceSpheres[7];
    const share = (400 * radius) / (8.01 * Math.tan(((30.225 / 2) * Math.PI) / 180));
    const pops = await popping({ 'geometry.levels': true, 'geometry.fullFrom': share });
    const steady = await popping({ 'geometry.levels': false });
    expect(pops.peak).toBeGreaterThan(2);
    expect(pops.peak).toBeGreaterThan(steady.peak * 2);
    expect(pops.kinds.pop).toBeGreaterThan(0.4);
  });
});
