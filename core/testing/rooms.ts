/** Closed and half-open rooms with known light, and a way to read the light that bounces in them. */
import { readLayers } from '../frame/layers';
import type { RenderedFrame } from '../frame/renderPool';
import { LIGHT_COMPONENTS } from '../light/components';
import type { MaterialSource, SceneSource } from '../scene/source';
import { addNode, environment, light, MATTE, quad, sceneOf } from './scenes';

/** About x. */
export const QUARTER: [number, number, number, number] = [Math.SQRT1_2, 0, 0, Math.SQRT1_2];

export const grey = (a: number): MaterialSource => ({ ...MATTE, doubleSided: true, baseColor: [a, a, a, 1] });

/** Mean of a layer over the middle of a square picture, or over all of it. */
export function layerMean(frame: RenderedFrame, name: string, from = 0, to = frame.width): number {
  const { data } = readLayers(frame.views, frame.samples, 0, LIGHT_COMPONENTS).find((l) => l.name === name)!;
  let sum = 0;
  for (let y = from; y < to; y++)
    for (let x = from; x < to; x++) for (let c = 0; c < 3; c++) sum += data[(y * frame.width + x) * 3 + c];
  return sum / ((to - from) ** 2 * 3);
}

/** Six sides about the origin, two metres apart. */
export function box(material: SceneSource['materials'][number]): SceneSource {
  const source = sceneOf([quad(1)], [material]);
  source.nodes.length = 0;
  const side = (rotation: [number, number, number, number], translation: [number, number, number]): void =>
    void addNode(source, { mesh: 0, rotation, translation });
  side([0, 0, 0, 1], [0, -1, 0]);
  side([1, 0, 0, 0], [0, 1, 0]);
  side(QUARTER, [0, 0, -1]);
  side([-Math.SQRT1_2, 0, 0, Math.SQRT1_2], [0, 0, 1]);
  side([0, 0, -Math.SQRT1_2, Math.SQRT1_2], [-1, 0, 0]);
  side([0, 0, Math.SQRT1_2, Math.SQRT1_2], [1, 0, 0]);
  source.environment = environment(0);
  return source;
}

/** A room that is open to the sky on one side, with a lamp, a red wall, a panel that glows, and a thing in it. */
export function room(): SceneSource {
  const source = box(grey(0.7));
  source.nodes.splice(3, 1);
  source.materials.push({ ...grey(0.5), name: 'red', baseColor: [0.7, 0.1, 0.1, 1] });
  source.materials.push({ ...grey(0.2), name: 'panel', emissive: [4, 3, 2] });
  source.meshes.push({ name: 'red', primitives: [quad(1, 0, 1)] }, { name: 'panel', primitives: [quad(0.2, 0, 2)] });
  source.nodes[3].mesh = 1;
  addNode(source, { mesh: 2, translation: [0.4, -0.6, -0.4], rotation: [0, 0, Math.SQRT1_2, Math.SQRT1_2] });
  source.lights = [light('point', 3, { castsShadow: true })];
  addNode(source, { light: 0, translation: [-0.3, 0.6, 0.1] });
  source.environment = environment(0.5);
  return source;
}

/** A floor with a thin wall across, lit by a lamp on one side of it, under a black roof; seen from above the dark side. */
export function parted(): SceneSource {
  const source = sceneOf([quad(2)], [grey(0.7)]);
  source.materials.push({ ...grey(0.7), name: 'wall' });
  source.meshes.push({ name: 'wall', primitives: [quad(2, 0, 1)] });
  // thin: two centimetres, and as long as the floor
  for (const x of [-0.01, 0.01])
    addNode(source, { mesh: 1, translation: [x, 0, 0], rotation: [0, 0, Math.SQRT1_2, Math.SQRT1_2] });
  source.nodes.push({ ...source.nodes[0], mesh: 1, translation: [0, 2, 0] });
  for (const z of [-2, 2]) addNode(source, { mesh: 1, translation: [0, 0, z], rotation: QUARTER });
  for (const x of [-2, 2])
    addNode(source, { mesh: 1, translation: [x, 0, 0], rotation: [0, 0, Math.SQRT1_2, Math.SQRT1_2] });
  source.lights = [light('point', 40, { castsShadow: true })];
  addNode(source, { light: 0, translation: [-1, 1, 0] });
  source.environment = environment(0);
  return source;
}

type Block = readonly [middle: [number, number, number], half: [number, number, number]];

/**
 * A dark room of thick blocks that run into one another, outside of which a sky shines: 2 m a side, walls of 0.3 m. A lamp is in
 * it. Their faces look outwards, as those of solids do.
 * @param front what stands in place of the block before it, middle and half size each
 */
export function blocks(front?: readonly Block[]): SceneSource {
  const faces = box({ ...grey(0.6), doubleSided: false });
  const source = sceneOf([], faces.materials);
  source.nodes.length = 0;
  source.meshes = faces.meshes;
  // the sides of a box, turned over
  const block = ([middle, half]: Block): void => {
    const parent = addNode(source, { translation: middle, scale: half });
    for (const { translation, rotation } of faces.nodes)
      addNode(source, { mesh: 0, parent, rotation, translation, scale: [1, -1, 1] });
  };
  for (const side of [-1.15, 1.15]) {
    block([
      [side, 0, 0],
      [0.15, 1.3, 1.3],
    ]);
    block([
      [0, side, 0],
      [1.3, 0.15, 1.3],
    ]);
    if (side < 0 || !front)
      block([
        [0, 0, side],
        [1.3, 1.3, 0.15],
      ]);
  }
  front?.forEach(block);
  source.lights = [light('point', 1)];
  addNode(source, { light: 0, translation: [0, 0.5, 0] });
  source.environment = environment(60);
  return source;
}

/** Four blocks around a window of 1 by 0.8 m, and a bar before it. */
export const WINDOW: readonly Block[] = [
  [
    [-0.9, 0, 1.15],
    [0.4, 1.3, 0.15],
  ],
  [
    [0.9, 0, 1.15],
    [0.4, 1.3, 0.15],
  ],
  [
    [0, -0.85, 1.15],
    [0.5, 0.45, 0.15],
  ],
  [
    [0, 0.85, 1.15],
    [0.5, 0.45, 0.15],
  ],
  [
    [0, 0, 1.15],
    [0.04, 0.4, 0.03],
  ],
];

/** Turns all of a scene. @param rotation quaternion */
export function turned(source: SceneSource, rotation: [number, number, number, number]): SceneSource {
  const tops = source.nodes.filter((node) => node.parent < 0);
  const root = addNode(source, { rotation });
  for (const node of tops) node.parent = root;
  return source;
}
