import { afterEach, describe, expect, it } from 'vitest';
import { LIGHT_COMPONENTS } from '../light/components';
import { FRAME_STAGES } from '../frame/stages/frameStages';
import { readLayers } from '../frame/layers';
import { addNode, beautyAt, cameraAt, environment, MATTE, mapCamera, quad, render, sceneOf } from '../testing/scenes';
import type { TierValues } from '../recipe/recipe';
import type { OpenAround, SurfaceRow } from './method';
import { occlusionStage } from './occlusion/stage';

const SIZE = { 'output.width': 48, 'output.height': 48, 'samples.pixel': 2, 'lens.tone': 'none' };
const ON = { ...SIZE, 'bounce.occlusion': true };
const MIDDLE = [24, 24] as const;

/** A grey floor and a shiny one under an even sky of 1 nit, side by side. */
function floors() {
  const shiny = { ...MATTE, name: 'shiny', metallic: 1, roughness: 0.4, baseColor: [0.5, 0.6, 0.7, 1] as const };
  const source = sceneOf(
    [quad(4)],
    [
      { ...MATTE, baseColor: [0.5, 0.4, 0.3, 1] },
      { ...shiny, baseColor: [...shiny.baseColor] },
    ],
  );
  source.meshes.push({ name: 'plate', primitives: [quad(0.5, 0, 1)] });
  addNode(source, { mesh: 1, translation: [0, 0.01, 0] });
  source.environment = environment(1);
  return source;
}

/** Puts a method of the test's own where occlusion stands. */
function withMethod(gather: (row: SurfaceRow) => void): void {
  const open: OpenAround = { prepare: () => true, begin: () => undefined, gather };
  Object.assign(FRAME_STAGES, { occlusion: { ...occlusionStage, open: () => open } });
}
afterEach(() => void Object.assign(FRAME_STAGES, { occlusion: occlusionStage }));

async function layersOf(values: TierValues, camera = mapCamera(3, 2), kernels = true) {
  const frame = await render(floors(), camera, values, 0, { kernels });
  const layers = readLayers(frame.views, frame.samples, 0, LIGHT_COMPONENTS);
  return (name: string, [x, y]: readonly [number, number]): number[] => {
    const { data } = layers.find((l) => l.name === name)!;
    return Array.from(data.subarray((y * 48 + x) * 3, (y * 48 + x) * 3 + 3));
  };
}

describe.each([
  ['compiled', true],
  ['plain', false],
])('what methods find, shaded by %s loops', (_name, kernels) => {
  const BARE = [3, 3] as const;

  it('fills what is sure, and leaves the rest to the surroundings', async () => {
    const alone = await layersOf(SIZE, undefined, kernels);
    withMethod((row) => {
      row.bounceSure.fill(0.25);
      row.bounce.forEach((column, c) => column.fill(Math.PI * (c + 1)));
      row.mirrorSure.fill(1);
      row.mirror.forEach((column, c) => column.fill(c + 2));
    });
    const filled = await layersOf(ON, undefined, kernels);
    // irradiance π · k on a matte surface is radiance k · albedo, as the even sky's own π · 1 is
    [0.5, 0.4, 0.3].forEach((albedo, c) => {
      const own = alone('bounce', BARE)[c];
      expect(own).toBeCloseTo(albedo, 2);
      expect(filled('bounce', BARE)[c]).toBeCloseTo(own * (0.75 + 0.25 * (c + 1)), 3);
      // an even sky is mirrored as 1: what takes its place is so many times as bright
      expect(filled('reflection', MIDDLE)[c]).toBeCloseTo(alone('reflection', MIDDLE)[c] * (c + 2), 2);
    });
  });

  it('darkens the surroundings where they are kept out, and no others', async () => {
    const alone = await layersOf(SIZE, undefined, kernels);
    withMethod((row) => row.open.fill(0.5));
    const half = await layersOf(ON, undefined, kernels);
    half('bounce', BARE).forEach((v, c) => expect(v).toBeCloseTo(alone('bounce', BARE)[c] / 2, 4));
    withMethod((row) => row.open.fill(0));
    const none = await layersOf(ON, undefined, kernels);
    for (const at of [BARE, MIDDLE])
      for (const layer of ['bounce', 'reflection']) for (const v of none(layer, at)) expect(v).toBeCloseTo(0, 6);
    withMethod(() => undefined);
    const untouched = await layersOf(ON, undefined, kernels);
    for (const at of [BARE, MIDDLE])
      for (const layer of LIGHT_COMPONENTS)
        untouched(layer, at).forEach((v, c) => expect(v).toBeCloseTo(alone(layer, at)[c], 5));
  });
});

describe('ambient occlusion in a picture', () => {
  /** A wall two metres high on a floor, under an even sky. */
  function corner() {
    const source = sceneOf([quad(6)], [{ ...MATTE, doubleSided: true }]);
    source.meshes.push({ name: 'wall', primitives: [quad(6)] });
    addNode(source, { mesh: 1, translation: [0, -4, -1], rotation: [Math.SQRT1_2, 0, 0, Math.SQRT1_2] });
    source.environment = environment(1);
    return source;
  }
  const camera = cameraAt([0, 3, 5], [0, 0, 0], 90);
  const FINE = { 'samples.pixel': 16, 'bounce.occlusionRadius': 20, 'bounce.occlusionSteps': 24 };
  const picture = async (values: TierValues) => {
    const frame = await render(corner(), camera, { ...SIZE, ...values });
    return (x: number, y: number): number => beautyAt(frame, x, y)[0];
  };

  it('keeps as much light out of a corner as the form factor of its wall says, at full size and at half', async () => {
    // the middle of the picture is a metre from a wall two metres high
    const LARGE = { 'output.width': 128, 'output.height': 128 };
    const bare = await picture(LARGE);
    const kept = 0.5 * (1 - 1 / Math.hypot(1, 2));
    for (const scale of ['full', 'half']) {
      const occluded = await picture({ ...LARGE, ...FINE, 'bounce.occlusion': true, 'bounce.occlusionScale': scale });
      const share = occluded(64, 64) / bare(64, 64);
      expect(share).toBeGreaterThan(1 - kept - 0.03);
      expect(share).toBeLessThan(1 - kept + 0.04);
      // nothing stands before what is nearest to the eye but for the wall far away
      expect(occluded(64, 126) / bare(64, 126)).toBeGreaterThan(1 - kept + 0.05);
    }
  });

  it('is half as strong when it is told so, nothing at nothing, and nothing to paths', async () => {
    const [bare, whole, half, none] = await Promise.all(
      [undefined, 100, 50, 0].map((strength) =>
        picture({
          ...FINE,
          ...(strength !== undefined && { 'bounce.occlusion': true, 'bounce.occlusionStrength': strength }),
          'bounce.occlusionBent': false,
        }),
      ),
    );
    const lost = bare(...MIDDLE) - whole(...MIDDLE);
    expect(bare(...MIDDLE) - half(...MIDDLE)).toBeCloseTo(lost / 2, 3);
    expect(none(...MIDDLE)).toBeCloseTo(bare(...MIDDLE), 5);
    const path = { 'samples.method': 'path' };
    expect((await picture({ ...path, 'bounce.occlusion': true }))(...MIDDLE)).toBe((await picture(path))(...MIDDLE));
  });

  it('lets a bent normal take the colour of where a place is open to', async () => {
    const source = corner();
    // of two colours, on one side and on the other
    const sky = { ...environment(1), kind: 'picture', picture: 'scene' } as const;
    source.environment = sky;
    const rgb = new Float32Array(8 * 4 * 3);
    for (let i = 0; i < 32; i++) rgb.set(i % 8 < 4 ? [1, 0, 0] : [0, 0, 1], i * 3);
    source.environmentPicture = { width: 8, height: 4, rgb };
    const tint = async (bent: boolean, rotationDeg: number): Promise<number> => {
      source.environment = { ...sky, rotationDeg };
      const values = { ...SIZE, ...FINE, 'bounce.occlusion': true, 'bounce.occlusionBent': bent };
      const [r, , b] = beautyAt(await render(source, camera, values), 24, 20);
      return r / b;
    };
    // away from the wall lies one of them, or when the sky is turned the other
    for (const [rotation, other] of [
      [90, 270],
      [270, 90],
    ]) {
      const lean = Math.log(await tint(true, rotation)) - Math.log(await tint(false, rotation));
      const leanOther = Math.log(await tint(true, other)) - Math.log(await tint(false, other));
      expect(Math.abs(lean)).toBeGreaterThan(0.2);
      expect(lean * leanOther).toBeLessThan(0);
    }
  });

  it('has a view, in which walls are white and corners dark, with bounce off as well', async () => {
    const frame = await render(corner(), camera, { ...ON, ...FINE, 'bounce.environment': 0 }, 0, { view: 'open' });
    const at = (x: number, y: number): number => frame.views.display[(y * 48 + x) * 4];
    expect(at(24, 46)).toBeGreaterThan(at(24, 22));
    expect(at(24, 22)).toBeGreaterThan(0);
  });
});
