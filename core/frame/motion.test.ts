import { describe, expect, it } from 'vitest';
import { compileScene } from '../scene/compileScene';
import type { CameraView } from '../scene/camera';
import type { SceneSource } from '../scene/source';
import { addNode, cameraAt, mapCamera, MATTE, quad, render, sceneOf } from '../testing/scenes';
import { seeThroughInstances } from './materialRules';
import { motionVectors } from './motion';

const [WIDTH, HEIGHT] = [80, 60];
const SIZE = { 'output.width': WIDTH, 'output.height': HEIGHT };
const STEP = 1 / 24;

async function vectors(
  source: SceneSource,
  camera: CameraView,
  nextCamera: CameraView,
  behind: 'background' | 'unknown' = 'background',
): Promise<Float32Array> {
  const { views } = await render(source, camera, SIZE);
  const { depth, objectId, overlaid } = views;
  const scene = compileScene(source);
  const times = { timeSeconds: 0, nextTimeSeconds: STEP };
  const seeThrough = seeThroughInstances(scene);
  const size = { width: WIDTH, height: HEIGHT };
  return motionVectors({ scene, ...size, depth, objectId, overlaid, seeThrough, behind, camera, nextCamera, ...times });
}
const at = (v: Float32Array, x: number, y: number): number[] => [v[(y * WIDTH + x) * 2], v[(y * WIDTH + x) * 2 + 1]];

/** A floor, and a plate over it that slides along x by a metre a second. */
function slidingPlate(): SceneSource {
  const source = sceneOf([quad(4)]);
  source.meshes.push({ name: 'plate', primitives: [quad(0.3)] });
  const node = addNode(source, { mesh: 1, translation: [0, 0.5, 0] });
  source.animations = [
    {
      node,
      path: 'translation',
      interpolation: 'linear',
      times: Float32Array.of(0, 1),
      values: Float32Array.of(0, 0.5, 0, 1, 0.5, 0),
    },
  ];
  return source;
}

describe('motion vectors', () => {
  it('of a camera that slides along a wall are the focal length times the way over the distance', async () => {
    // straight down from two metres; the picture is 2 · 2 · tan 20° high
    const down = (x: number): CameraView => ({
      ...mapCamera(2, 1),
      world: Float64Array.of(1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0, x, 2, 0, 1),
      lens: cameraAt([0, 2, 0], [0, 0, 0]).lens,
    });
    const v = await vectors(sceneOf([quad(4)]), down(0), down(0.05));
    const focal = HEIGHT / (2 * Math.tan((20 * Math.PI) / 180));
    for (const [x, y] of [
      [5, 5],
      [40, 30],
      [70, 50],
    ]) {
      // prettier-ignore
      expect(at(v, x, y)[0]).toBeCloseTo((-0.05 * focal) / 2, 3);
      expect(at(v, x, y)[1]).toBeCloseTo(0, 3);
    }
  });

  it('follow what moves by itself, and leave the rest', async () => {
    const v = await vectors(slidingPlate(), mapCamera(3, 1), mapCamera(3, 1));
    // 30 pixels a metre
    expect(at(v, 40, 30)[0]).toBeCloseTo(30 * STEP, 3);
    expect(at(v, 40, 30)[1]).toBeCloseTo(0, 4);
    expect(at(v, 4, 4)).toEqual([0, 0]);
  });

  it('of the background come from the turning of the camera alone', async () => {
    const turn = 0.02;
    const eye = [0, 50, 0];
    const v = await vectors(
      sceneOf([quad(1)]),
      cameraAt(eye, [0, 50, -10]),
      cameraAt([3, 50, 0], [3 + 10 * Math.sin(turn), 50, -10 * Math.cos(turn)]),
    );
    const focal = HEIGHT / (2 * Math.tan((20 * Math.PI) / 180));
    // the middle lies half a pixel from the axis
    const angle = Math.atan(0.5 / focal);
    expect(at(v, 40, 30)[0]).toBeCloseTo(focal * Math.tan(angle - turn) - 0.5, 3);
  });

  it('of the background behind glass are those of the background, or none when anything may be there', async () => {
    const glass = { ...MATTE, transmission: 1, roughness: 0, doubleSided: true };
    const pane = sceneOf([quad(3)], [glass]);
    const looking = (x: number): CameraView => cameraAt([x, 4, 0.01], [x, 0, 0]);
    expect(at(await vectors(pane, looking(0), looking(0.1)), 40, 30)[0]).toBeCloseTo(0, 3);
    expect(at(await vectors(sceneOf([quad(3)]), looking(0), looking(0.1)), 40, 30)[0]).toBeLessThan(-1);
    const unknown = await vectors(pane, looking(0), looking(0.1), 'unknown');
    expect(at(unknown, 40, 30)).toEqual([NaN, NaN]);
  });

  it('behind glass that moves are none', async () => {
    const glass = { ...MATTE, transmission: 1, roughness: 0, doubleSided: true };
    const source = slidingPlate();
    source.materials.push(glass);
    source.meshes[1] = { name: 'pane', primitives: [quad(0.3, 0, 1)] };
    const v = await vectors(source, mapCamera(3, 1), mapCamera(3, 1));
    expect(at(v, 40, 30)).toEqual([NaN, NaN]);
    expect(at(v, 4, 4)).toEqual([0, 0]);
    // standing still it hides nothing
    source.animations = [];
    for (const n of at(await vectors(source, mapCamera(3, 1), mapCamera(3, 1)), 40, 30)) expect(n).toBeCloseTo(0, 6);
  });

  it('are none where nothing will be before the next camera, and none behind a parallel one', async () => {
    const away = await vectors(
      sceneOf([quad(4)]),
      cameraAt([0, 2, 0.01], [0, 0, 0]),
      cameraAt([0, -1, 0.01], [0, -5, 0]),
    );
    expect(away.every((n) => n === 0)).toBe(true);
    const parallel = await vectors(sceneOf([quad(0.1)]), mapCamera(2, 1), mapCamera(2, 1));
    expect(at(parallel, 2, 2)).toEqual([0, 0]);
  });
});
