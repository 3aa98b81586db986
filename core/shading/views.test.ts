import { describe, expect, it } from 'vitest';
import { createLocalPort } from '../frame/localPort';
import { RenderPool, type RenderedFrame } from '../frame/renderPool';
import { resolveRecipe, type TierValues } from '../recipe/recipe';
import type { CameraView } from '../scene/camera';
import { compileScene } from '../scene/compileScene';
import { packScene, toShared } from '../scene/packScene';
import type { SceneSource } from '../scene/source';
import { addNode, cameraAt, DOWN, environment, light, mapCamera, MATTE, quad, sceneOf } from '../testing/scenes';
import { VIEW_KEYS, VIEW_MODES, type ViewMode } from './views';

async function look(
  source: SceneSource,
  camera: CameraView,
  view: ViewMode,
  values: TierValues,
): Promise<RenderedFrame> {
  const pool = new RenderPool([createLocalPort(() => performance.now())]);
  pool.setScene('s', toShared(packScene(compileScene(source))));
  const draft = { 'output.width': 96, 'output.height': 96, 'samples.pixel': 1, ...values };
  const recipe = resolveRecipe({ name: 't', draft, final: {} }, 'draft');
  return pool.render({ sceneId: 's', recipe, camera, timeSeconds: 0, seed: 1, view }).promise;
}
const colourAt = (frame: RenderedFrame, i: number): number[] =>
  Array.from(frame.views.sums.subarray(i * 16 + 9, i * 16 + 12));
const isKey = (frame: RenderedFrame, i: number, view: ViewMode, key: number): boolean =>
  colourAt(frame, i).every((c, k) => Math.abs(c - VIEW_KEYS[view]![key].rgb[k]) < 1e-4);
const count = (frame: RenderedFrame, view: ViewMode, key: number): number =>
  Array.from({ length: 96 * 96 }, (_, i) => i).filter((i) => isKey(frame, i, view, key)).length;

/** A floor, a plate over it, a sun straight above. */
function plateScene(): SceneSource {
  const scene = sceneOf([quad(3)], [{ ...MATTE, doubleSided: true }]);
  scene.meshes.push({ name: 'plate', primitives: [quad(0.5)] });
  addNode(scene, { mesh: 1, translation: [0, 1, 0] });
  scene.lights = [light('sun', 10, { castsShadow: true })];
  addNode(scene, { light: 0, rotation: DOWN });
  return scene;
}

describe('views', () => {
  it('all give a picture of finite codes and leave the recipe out of their colours', async () => {
    // those that show light are exposed as the picture is
    const exposed: readonly string[] = ['picture', 'light', 'bounce'];
    const lit = plateScene();
    lit.environment = environment(0.2);
    for (const { id } of VIEW_MODES) {
      const frame = await look(lit, cameraAt([0, 3, 4], [0, 0, 0]), id, {
        'lens.exposure': exposed.includes(id) ? 0 : 20,
      });
      expect(frame.finished).toBe(true);
      expect(frame.views.display.some((v, i) => i % 4 < 3 && v > 0)).toBe(true);
      if (id === 'shadow') expect(new Set(frame.views.display.filter((_, i) => i % 4 === 0)).size).toBeLessThan(40);
    }
  });

  it('of shadow texels tell how many lie along a pixel', async () => {
    // a parallel camera of 96 pixels on 4 m; one map of the whole scene: 3 √2 m radius with the plate's height
    const at = async (resolution: number): Promise<number[]> => {
      const frame = await look(plateScene(), mapCamera(3, 2), 'texels', { 'shadows.resolution': resolution });
      return colourAt(frame, 10 * 96 + 10);
    };
    const radius = Math.hypot(3, 0.5, 3) * 1.001;
    const pixel = 4 / 96;
    for (const resolution of [256, 512]) {
      const ratio = pixel / ((2 * radius) / (resolution - 2));
      const keys = VIEW_KEYS.texels!;
      const stops = [0.25, 0.5, 1, 2, 4];
      const i = stops.findIndex((s, k) => ratio >= s && ratio < stops[k + 1]);
      const t = (ratio - stops[i]) / (stops[i + 1] - stops[i]);
      const seen = await at(resolution);
      for (let c = 0; c < 3; c++)
        expect(seen[c]).toBeCloseTo(keys[i].rgb[c] + (keys[i + 1].rgb[c] - keys[i].rgb[c]) * t, 3);
    }
  });

  it('of light count say how many lights reach a place', async () => {
    const scene = plateScene();
    scene.lights.push(light('point', 5, { range: 1 }), light('point', 5));
    addNode(scene, { light: 1, translation: [2, 0.5, 0] });
    addNode(scene, { light: 2, translation: [0, 4, 0] });
    const frame = await look(scene, mapCamera(5, 2.5), 'lights', {});
    const at = (x: number, z: number): number[] =>
      colourAt(frame, Math.round(((z + 2.5) / 5) * 95) * 96 + Math.round(((x + 2.5) / 5) * 95));
    // two everywhere, three near the lamp of short range
    expect(at(2, 0)[1]).toBeGreaterThan(at(-2, 0)[1]);
    expect(at(-2, 0)).toEqual(at(-2, 1));
  });
});

describe('the fault view', () => {
  // what must be found is known from the scene itself, not from the tracer
  it('finds a leak: light behind a wall thinner than the bias', async () => {
    const scene = sceneOf([quad(3)], [{ ...MATTE, doubleSided: true }]);
    scene.meshes.push({ name: 'roof', primitives: [quad(1)] });
    addNode(scene, { mesh: 1, translation: [0, 1, 0] });
    scene.lights = [light('sun', 10, { castsShadow: true })];
    addNode(scene, { light: 0, rotation: DOWN });
    // the bias of ten texels of a coarse map moves the comparison over the roof
    const frame = await look(scene, mapCamera(0.9, 0.9), 'faults', {
      'shadows.autoBias': false,
      'shadows.resolution': 128,
      'shadows.slopeBias': 10,
      'shadows.normalOffset': 10,
      'shadows.filter': 'hard',
    });
    // ten texels of 6.6 cm times a quarter: too little to leak; the roof still shades its floor
    expect(count(frame, 'faults', 2)).toBe(0);
    const thin = structuredClone(scene);
    thin.nodes[1].translation = [0, 0.1, 0];
    const leaking = await look(thin, mapCamera(0.09, 0.9), 'faults', {
      'shadows.autoBias': false,
      'shadows.resolution': 128,
      'shadows.slopeBias': 10,
      'shadows.filter': 'hard',
    });
    // all of the floor under the roof is lit though it must not be; the roof is close by, so it is called detached
    expect(count(leaking, 'faults', 1) / (96 * 96)).toBeGreaterThan(0.95);
  });

  it('finds every leak where the maps end under a long roof', async () => {
    // the roof covers the whole floor: no light may reach it; a camera inside sees thirty metres, the maps reach six
    const scene = sceneOf([quad(30)], [{ ...MATTE, doubleSided: true }]);
    scene.meshes.push({ name: 'roof', primitives: [quad(31)] });
    addNode(scene, { mesh: 1, translation: [0, 3, 0] });
    scene.lights = [light('sun', 10, { castsShadow: true })];
    addNode(scene, { light: 0, rotation: DOWN });
    const camera = cameraAt([0, 1.5, 25], [0, 0, 10], 50);
    const settings = { 'shadows.distance': 6, 'shadows.resolution': 1024 };
    const faults = await look(scene, camera, 'faults', settings);
    const lit = await look(scene, camera, 'shadow', settings);
    let [bright, flagged] = [0, 0];
    for (let i = 0; i < 96 * 96; i++) {
      if (lit.views.objectId[i] !== 1 || colourAt(lit, i)[0] < 0.5) continue;
      bright++;
      if (isKey(faults, i, 'faults', 2)) flagged++;
    }
    expect(bright).toBeGreaterThan(500);
    expect(flagged / bright).toBeGreaterThan(0.95);
    expect(count(faults, 'faults', 2)).toBe(flagged);
  });

  it('finds acne on an open plane under a grazing sun, and none once the bias is automatic', async () => {
    const scene = sceneOf([quad(4)]);
    scene.lights = [light('sun', 100, { castsShadow: true })];
    const half = ((-90 + 75) / 2) * (Math.PI / 180);
    addNode(scene, { light: 0, rotation: [Math.sin(half), 0, 0, Math.cos(half)] });
    const camera = cameraAt([0, 3, 5], [0, 0, 0]);
    const bad = { 'shadows.autoBias': false, 'shadows.slopeBias': 0, 'shadows.normalOffset': 0 };
    const hard = { 'shadows.filter': 'hard', 'shadows.depthFormat': '16', 'shadows.resolution': 512 };
    const acne = await look(scene, camera, 'faults', { ...bad, ...hard });
    const plain = await look(scene, camera, 'shadow', { ...bad, ...hard });
    // nothing stands on the plane: every dark pixel is acne
    let [dark, flagged] = [0, 0];
    for (let i = 0; i < 96 * 96; i++) {
      if (plain.views.objectId[i] === 0 || colourAt(plain, i)[0] >= 0.5) continue;
      dark++;
      if (isKey(acne, i, 'faults', 0)) flagged++;
    }
    expect(dark).toBeGreaterThan(300);
    expect(flagged / dark).toBeGreaterThan(0.95);
    expect(count(acne, 'faults', 0)).toBe(flagged);
    expect(count(await look(scene, camera, 'faults', hard), 'faults', 0)).toBe(0);
  });
});

describe('cascades', () => {
  const far = (): SceneSource => {
    const scene = sceneOf([quad(200)]);
    scene.lights = [light('sun', 10, { castsShadow: true })];
    addNode(scene, { light: 0, rotation: DOWN });
    return scene;
  };
  const camera = cameraAt([0, 2, 60], [0, 0, 0], 50);

  it('follow each other with the distance and end where the sun distance does', async () => {
    const frame = await look(far(), camera, 'cascades', {
      'shadows.cascades': 3,
      'shadows.distance': 60,
      'shadows.cascadeBlend': 0,
    });
    const seen: number[] = [];
    for (let y = 95; y >= 0; y--) {
      const i = y * 96 + 48;
      if (frame.views.objectId[i] === 0) continue;
      const rgb = colourAt(frame, i);
      const key = VIEW_KEYS.cascades!.findIndex(({ rgb: k }) => {
        const scale = rgb[0] / k[0];
        return k.every((v, c) => Math.abs(rgb[c] - v * scale) < 1e-3);
      });
      if (seen.at(-1) !== key) seen.push(key);
    }
    expect(seen).toEqual([0, 1, 2, 6]);
  });

  it('are said to end when the picture reaches farther', async () => {
    const notes = async (distance: number): Promise<string[]> =>
      (await look(far(), camera, 'picture', { 'shadows.distance': distance })).notes;
    expect((await notes(30)).join()).toMatch(/Sun shadows end 30 m from the camera: \d+ % of the picture/);
    expect(await notes(2000)).toEqual([]);
  });
});
