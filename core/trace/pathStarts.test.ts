/** Paths that start elsewhere than at a camera, against closed forms. */
import { describe, expect, it } from 'vitest';
import { hashCombine } from '../math/random';
import { sobol2 } from '../math/sobol';
import { squareToSphere } from '../math/octahedron';
import { MATTE, addNode, environment, quad, sceneOf } from '../testing/scenes';
import { pathScene } from '../testing/pathScenes';
import { DEFAULT_MATERIAL, type SceneSource } from '../scene/source';
import { START_DIRECTION, START_ORIGIN, START_SKY, type PathStarts } from './paths/pathStarts';
import { LIGHT_NUMBERS } from '../light/components';
import { P_COUNT, PATH_SUMS } from './pathSums';
import { traceFrom } from './tracePaths';

const pair = new Float64Array(2);

/** Places on the ground that look up, more often to where their cosine is large: the mean is irradiance / π. */
const lookingUp = (places: number[][]): PathStarts => ({
  count: places.length,
  start(item, sample, ray) {
    sobol2(sample, hashCombine(11, item), pair);
    const r = Math.sqrt(pair[0]);
    const phi = 2 * Math.PI * pair[1];
    ray.fill(0);
    ray.set(places[item], START_ORIGIN);
    ray.set([r * Math.cos(phi), Math.sqrt(1 - r * r), r * Math.sin(phi)], START_DIRECTION);
    ray[START_SKY] = 1;
    return true;
  },
});

/** Places that look all around: a probe. */
const allAround = (places: number[][], asleep = -1): PathStarts => ({
  count: places.length,
  start(item, sample, ray) {
    if (item === asleep) return false;
    sobol2(sample, hashCombine(13, item), pair);
    ray.fill(0);
    const d = new Float64Array(3);
    squareToSphere(pair[0], pair[1], d);
    ray.set(places[item], START_ORIGIN);
    ray.set(d, START_DIRECTION);
    ray[START_SKY] = 1;
    return true;
  },
});

/** Mean of all light of each item, green. */
function means(source: SceneSource, starts: PathStarts, samples: number, kernels: boolean, limits = {}): number[] {
  const tracer = pathScene(source, starts.count, kernels, limits);
  for (let s = 0; s < samples; s++) traceFrom(tracer, starts, 0, starts.count, s);
  return Array.from({ length: starts.count }, (_, i) => {
    const at = i * PATH_SUMS;
    let sum = 0;
    for (let k = 1; k < LIGHT_NUMBERS; k += 3) sum += tracer.input.paths[at + k];
    return sum / tracer.input.paths[at + P_COUNT];
  });
}

/** A glowing square of side 2, one metre above the ground, that shines down. */
function underPanel(): SceneSource {
  const panel = { ...quad(1, 0, 0), indices: quad(1).indices!.slice().reverse() };
  const scene = sceneOf([panel], [{ ...MATTE, baseColor: [0, 0, 0, 1], emissive: [5, 5, 5] }]);
  scene.nodes[0].translation = [0, 1, 0];
  scene.environment = environment(0);
  return scene;
}

/** Form factor from a horizontal place to a parallel rectangle with a corner above it (Howell, A Catalog of Radiation Heat Transfer Configuration Factors, B-3). */
function cornerFactor(a: number, b: number, height: number): number {
  const [x, y] = [a / height, b / height];
  const [u, v] = [Math.sqrt(1 + x * x), Math.sqrt(1 + y * y)];
  return ((x / u) * Math.atan(y / u) + (y / v) * Math.atan(x / v)) / (2 * Math.PI);
}

describe.each([
  ['compiled', true],
  ['plain', false],
])('paths from anywhere, by %s loops,', (_name, kernels) => {
  it('bring a place what the surroundings give, all of it in the open', () => {
    const scene = sceneOf([], [MATTE]);
    scene.environment = environment(3);
    for (const m of means(
      scene,
      lookingUp([
        [0, 0, 0],
        [4, 1, 2],
      ]),
      16,
      kernels,
    ))
      expect(m).toBeCloseTo(3, 5);
  });

  it('bring a place the light of a panel by its form factor', () => {
    const places = [
      [0, 0, 0],
      [1, 0, 1],
      [-1, 0, 0],
    ];
    const four = cornerFactor(1, 1, 1) * 4;
    const corner = cornerFactor(2, 2, 1);
    const edge = cornerFactor(2, 1, 1) * 2;
    const found = means(underPanel(), lookingUp(places), 4096, kernels);
    [four, corner, edge].forEach((factor, i) => expect(found[i]).toBeCloseTo(5 * factor, 1));
  });

  it('bring a probe in a closed, glowing and grey room what a furnace gives', () => {
    // walls of albedo ½ that glow with 1: L = 1 / (1 − ½) with bounces without end
    const wall = {
      ...DEFAULT_MATERIAL,
      baseColor: [0.5, 0.5, 0.5, 1] as [number, number, number, number],
      roughness: 1,
      specular: 0,
      emissive: [1, 1, 1] as [number, number, number],
      doubleSided: true,
    };
    const scene = sceneOf([quad(1, -1)], [wall]);
    const half = Math.SQRT1_2;
    for (const rotation of [
      [half, 0, 0, half],
      [-half, 0, 0, half],
      [0, 0, half, half],
      [0, 0, -half, half],
      [1, 0, 0, 0],
    ] as const)
      addNode(scene, { mesh: 0, rotation: [...rotation] });
    scene.environment = environment(0);
    const [inside] = means(scene, allAround([[0.1, 0.2, -0.3]]), 512, kernels, { total: 30, matte: 30, roulette: 30 });
    expect(inside).toBeCloseTo(2, 1);
  });

  it('leave out what takes no more samples, and what was there of it', () => {
    const scene = sceneOf([], [MATTE]);
    scene.environment = environment(2);
    const starts = allAround(
      [
        [0, 0, 0],
        [1, 0, 0],
        [2, 0, 0],
      ],
      1,
    );
    const tracer = pathScene(scene, 3, kernels);
    tracer.input.paths.fill(7);
    for (let s = 0; s < 2; s++) traceFrom(tracer, starts, 0, 3, s);
    const counts = [0, 1, 2].map((i) => tracer.input.paths[i * PATH_SUMS + P_COUNT]);
    expect(counts).toEqual([2, 7, 2]);
  });
});

describe('paths from anywhere', () => {
  it('are the same for both loops, path by path', () => {
    const places = Array.from({ length: 40 }, (_, i) => [(i % 8) / 4 - 1, 0.01, Math.floor(i / 8) / 2 - 1]);
    const scene = underPanel();
    scene.meshes.push({ name: 'ground', primitives: [quad(4, 0, 1)] });
    scene.materials.push(MATTE);
    addNode(scene, { mesh: 1 });
    const [a, b] = [true, false].map((kernels) => means(scene, allAround(places), 32, kernels));
    a.forEach((m, i) => expect(m).toBeCloseTo(b[i], 4));
  });
});
