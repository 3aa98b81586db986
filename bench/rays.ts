/** Rays through the hierarchy beside the hierarchy of `three-mesh-bvh`, on the same triangles and the same rays. */
import { BufferAttribute, BufferGeometry, DoubleSide, Ray, Vector3 } from 'three';
import { MeshBVH, SAH } from 'three-mesh-bvh';
import { randomStream } from '@daxel/core/math/random';
import { poseInstances, poseNodes } from '@daxel/core/scene/pose';
import { compileScene } from '@daxel/core/scene/compileScene';
import { buildBvh, bvhNodeLimit, type BvhArrays } from '@daxel/core/trace/buildBvh';
import { closestHit, hit, traceRay } from '@daxel/core/trace/traceRay';
import { medianOf, row, type Bench, type BenchRow } from './rows';
import { openField } from './scenes';

const RAYS = 100_000;
/** Origin and direction. */
const FLOATS = 6;

export const rays: Bench = {
  name: 'rays',
  async run() {
    const scene = compileScene(openField().kit.scene);
    const vertices = scene.positions.length / 3;
    const posed = {
      positions: new Float32Array(vertices * 3),
      normals: new Float32Array(vertices * 3),
      tangents: new Float32Array(vertices * 4),
    };
    poseInstances(scene, poseNodes(scene, 0), 0, scene.meta.instances.length, posed);
    const count = scene.triangleMaterial.length;
    const ours: BvhArrays = {
      bvhBoxes: new Float32Array(bvhNodeLimit(count) * 12),
      bvhChildren: new Int32Array(bvhNodeLimit(count) * 2),
      bvhOrder: new Uint32Array(count),
      bvhCorners: new Float32Array(count * 9),
    };
    const geometry = (): BufferGeometry =>
      new BufferGeometry()
        .setAttribute('position', new BufferAttribute(posed.positions, 3))
        .setIndex(new BufferAttribute(scene.triangles.slice(), 1));
    const timed = (run: () => void): number => {
      const from = performance.now();
      run();
      return performance.now() - from;
    };
    const buildOurs = await medianOf(1, 5, () => timed(() => void buildBvh(posed.positions, scene.triangles, ours)));
    const buildTheirs = await medianOf(1, 5, () => timed(() => void new MeshBVH(geometry(), { strategy: SAH })));
    const theirs = new MeshBVH(geometry(), { strategy: SAH });
    const rows: BenchRow[] = [row('rays', `build, ${count} triangles`, 'three-mesh-bvh', buildOurs, buildTheirs, 'ms')];
    const primary = primaryRays();
    const bounce = bounceRays(ours, primary);
    for (const [name, set] of [
      ['primary', primary],
      ['bounce', bounce],
    ] as const) {
      const a = await medianOf(1, 5, () => timed(() => ourClosest(ours, set)));
      const b = await medianOf(1, 3, () => timed(() => theirClosest(theirs, set)));
      rows.push(row('rays', `${name}, closest hit, ${set.length / FLOATS} rays`, 'three-mesh-bvh', a, b, 'ms'));
    }
    const a = await medianOf(1, 5, () => timed(() => ourAny(ours, bounce)));
    const b = await medianOf(1, 3, () => timed(() => theirClosest(theirs, bounce)));
    rows.push(row('rays', `shadow, any hit, ${bounce.length / FLOATS} rays`, 'three-mesh-bvh (closest)', a, b, 'ms'));
    return rows;
  },
};

/** From the field's camera over its whole view. */
function primaryRays(): Float64Array {
  const set = new Float64Array(RAYS * FLOATS);
  const side = Math.ceil(Math.sqrt(RAYS));
  for (let i = 0; i < RAYS; i++) {
    const x = ((i % side) / side - 0.5) * 1.2;
    const y = (Math.floor(i / side) / side - 0.5) * 0.68;
    set.set([0.6, 2.2, 4.6, x - 0.1, y - 0.27, -1], i * FLOATS);
  }
  return set;
}

/** From where primary rays end, into all directions above the plane. */
function bounceRays(bvh: BvhArrays, primary: Float64Array): Float64Array {
  const random = randomStream(5);
  const set: number[] = [];
  for (let i = 0; i < primary.length; i += FLOATS) {
    const [ox, oy, oz, dx, dy, dz] = primary.subarray(i, i + FLOATS);
    if (!closestHit(bvh, ox, oy, oz, dx, dy, dz)) continue;
    const t = hit.distance * 0.9999;
    set.push(ox + dx * t, oy + dy * t, oz + dz * t, random() * 2 - 1, random(), random() * 2 - 1);
  }
  return Float64Array.from(set);
}

function ourClosest(bvh: BvhArrays, set: Float64Array): void {
  for (let i = 0; i < set.length; i += FLOATS)
    closestHit(bvh, set[i], set[i + 1], set[i + 2], set[i + 3], set[i + 4], set[i + 5]);
}

function ourAny(bvh: BvhArrays, set: Float64Array): void {
  for (let i = 0; i < set.length; i += FLOATS)
    traceRay(bvh, set[i], set[i + 1], set[i + 2], set[i + 3], set[i + 4], set[i + 5], Infinity, stop);
}
const stop = (): number => -1;

function theirClosest(bvh: MeshBVH, set: Float64Array): void {
  const ray = new Ray(new Vector3(), new Vector3());
  for (let i = 0; i < set.length; i += FLOATS) {
    ray.origin.set(set[i], set[i + 1], set[i + 2]);
    ray.direction.set(set[i + 3], set[i + 4], set[i + 5]).normalize();
    bvh.raycastFirst(ray, DoubleSide);
  }
}
