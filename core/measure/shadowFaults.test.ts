import { describe, expect, it } from 'vitest';
import type { TierValues } from '../recipe/recipe';
import type { PrimitiveSource, SceneSource } from '../scene/source';
import { addNode, cameraAt, DOWN, light, MATTE, quad, render, sceneOf } from '../testing/scenes';
import { highlightDots } from './highlightDots';
import { shadowFaults } from './shadowFaults';

const [width, height] = [240, 160];
const all = { x: 0, y: 0, width, height };

/** A ball of so many facets from pole to pole. */
function ball(facets: number, y0: number, material = 0): PrimitiveSource {
  const [positions, normals, indices]: number[][] = [[], [], []];
  const columns = 2 * facets + 1;
  for (let j = 0; j <= facets; j++)
    for (let i = 0; i < columns; i++) {
      const [t, p] = [(j / facets) * Math.PI, (i / facets) * Math.PI];
      const d = [Math.sin(t) * Math.cos(p), Math.cos(t), Math.sin(t) * Math.sin(p)];
      normals.push(...d);
      positions.push(d[0], d[1] + y0, d[2]);
    }
  for (let j = 0; j < facets; j++)
    for (let i = 0; i < columns - 1; i++) {
      const a = j * columns + i;
      const b = a + columns;
      indices.push(a, a + 1, b, a + 1, b + 1, b);
    }
  return {
    positions: Float32Array.from(positions),
    normals: Float32Array.from(normals),
    indices: Uint32Array.from(indices),
    material,
  };
}

async function shown(scene: SceneSource, values: TierValues) {
  const size = { 'output.width': width, 'output.height': height, 'samples.pixel': 4 };
  const frame = await render(scene, cameraAt([1.2, 1.8, 4.2], [0, 1, 0]), { ...size, ...values });
  const { sums, objectId, display } = frame.views;
  const pixels = width * height;
  const lit = Float32Array.from({ length: pixels }, (_, i) => sums[i * 16 + 13] / frame.samples);
  return { lit, objects: objectId.slice(0, pixels), codes: display.slice(0, pixels * 4) };
}

describe('acne and leaks', () => {
  const underSun = (altitudeDeg: number): SceneSource => {
    const scene = sceneOf([quad(6)], [{ ...MATTE, doubleSided: true }]);
    scene.meshes.push({ name: 'ball', primitives: [ball(24, 1.2)] });
    addNode(scene, { mesh: 1 });
    scene.lights = [light('sun', 3, { castsShadow: true, angularDiameterRad: 0.009 })];
    const half = (-altitudeDeg / 2) * (Math.PI / 180);
    addNode(scene, { light: 0, rotation: [Math.sin(half), 0, 0, Math.cos(half)] });
    return scene;
  };
  const coarse = { 'shadows.resolution': 512, 'shadows.cascades': 1, 'shadows.distance': 30 };
  const noBias = { 'shadows.autoBias': false, 'shadows.slopeBias': 0, 'shadows.normalOffset': 0 };

  it('are told apart on a ball in a coarse map, and not told of where the bias is automatic', async () => {
    for (const altitude of [25, 50]) {
      const scene = underSun(altitude);
      const truth = (await shown(scene, { 'shadows.method': 'traced' })).lit;
      const faults = async (values: TierValues) => {
        const { lit, objects } = await shown(scene, { ...coarse, ...values });
        return shadowFaults(lit, truth, objects, width, height, all);
      };
      const bad = await faults(noBias);
      expect(bad.acne).toBeGreaterThan(0.1);
      expect(bad.leak).toBeLessThan(0.003);
      const good = await faults({});
      expect(good.acne).toBeLessThan(0.003);
      expect(good.leak).toBeLessThan(0.003);
    }
  });

  it('are found where the maps end before the shadow does', async () => {
    const scene = sceneOf([quad(6), quad(1.5, 1.2)], [{ ...MATTE, doubleSided: true }]);
    scene.lights = [light('sun', 3, { castsShadow: true })];
    addNode(scene, { light: 0, rotation: DOWN });
    const truth = (await shown(scene, { 'shadows.method': 'traced' })).lit;
    const leak = async (distance: number): Promise<number> => {
      const { lit, objects } = await shown(scene, { 'shadows.distance': distance });
      const faults = shadowFaults(lit, truth, objects, width, height, all);
      expect(faults.acne).toBeLessThan(0.003);
      return faults.leak;
    };
    expect(await leak(2)).toBeGreaterThan(0.05);
    expect(await leak(30)).toBeLessThan(0.003);
  });

  it('are not edges, however coarse, nor grain, nor another object', () => {
    const step = (at: number): Float32Array =>
      Float32Array.from({ length: width * height }, (_, i) => (i % width < at ? 0 : 1));
    const objects = new Uint32Array(width * height).fill(1);
    const truth = step(120);
    for (const off of [-5, 5])
      expect(shadowFaults(step(120 + off), truth, objects, width, height, all)).toEqual({ acne: 0, leak: 0 });
    expect(shadowFaults(step(150), truth, objects, width, height, all).acne).toBeCloseTo(24 / 240, 2);
    expect(shadowFaults(step(90), truth, objects, width, height, all).leak).toBeCloseTo(24 / 240, 2);
    expect(shadowFaults(step(150), truth, new Uint32Array(width * height), width, height, all).acne).toBe(0);
    expect(shadowFaults(step(150), truth, objects, width, height, { ...all, x: 170 }).acne).toBe(0);
  });
});

describe('dotted highlights', () => {
  const underLamp = (roughness: number, metres: number): SceneSource => {
    const gloss = {
      ...MATTE,
      name: 'gloss',
      roughness,
      specular: 1,
      baseColor: [0.1, 0.1, 0.1, 1] as [number, number, number, number],
    };
    const scene = sceneOf([quad(6, 0, 1)], [MATTE, gloss]);
    scene.meshes.push({ name: 'ball', primitives: [ball(48, 1.2, 1)] });
    addNode(scene, { mesh: 1 });
    scene.lights = [light('area', 400, { castsShadow: true, shape: 'square', width: metres })];
    addNode(scene, { light: 0, rotation: DOWN, translation: [0.5, 4.5, 1.5] });
    return scene;
  };
  const few = { 'samples.pixel': 1, 'shadows.lightSamples': 4 };
  const dots = async (scene: SceneSource, values: TierValues): Promise<number> => {
    const many = await shown(scene, { ...few, 'shadows.lightSamples': 64, 'lens.exposure': -6 });
    return highlightDots(await shown(scene, { 'lens.exposure': -6, ...values }), many, width, height, {
      ...all,
      x: 60,
      width: 120,
      height: 100,
    });
  };

  it('are told of a gloss under a wide lamp drawn from four places', async () => {
    expect(await dots(underLamp(0.25, 3), few)).toBeGreaterThan(0.01);
  });

  it('are not told of many places, of a small lamp, or of what is matte', async () => {
    expect(await dots(underLamp(0.3, 3), { ...few, 'shadows.lightSamples': 48 })).toBeLessThan(0.01);
    expect(await dots(underLamp(0.25, 0.1), few)).toBeLessThan(0.01);
    expect(await dots(underLamp(1, 3), few)).toBeLessThan(0.01);
  });
});
