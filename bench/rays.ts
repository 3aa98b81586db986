/** Rays through the hierarchy beside the hierarchy of `three-mesh-bvh`, on the same triangles and the same rays. */
import { BufferAttribute, BufferGeometry, DoubleSide, Ray, Vector3 } from 'three';
import { MeshBVH, SAH } from 'three-mesh-bvh';
import { randomStream } from '@daxel/core/math/random';
import { kernelStructure, plainStructure } from '@daxel/core/testing/rayStructures';
import type { BvhArrays } from '@daxel/core/trace/bvhLayout';
import { alone } from '@daxel/core/trace/bvhBuilder';
import type { RayKernel } from '@daxel/core/trace/rayKernel';
import { closestHit, hit, traceRay } from '@daxel/core/trace/traceRay';
import { nativeTimes } from './native';
import { createNodePool } from '@daxel/server/render/nodePool';
import { medianOf, row, type Bench, type BenchRow } from './rows';
import { frameOf, openField } from './scenes';

const RAYS = 518_400;
/** Origin and direction. */
const FLOATS = 6;

export const rays: Bench = {
  name: 'rays',
  async run() {
    const { positions, triangles } = room();
    const count = triangles.length / 3;
    const plain = plainStructure(positions, triangles);
    const compiled = kernelStructure(positions, triangles);
    const geometry = (): BufferGeometry =>
      new BufferGeometry()
        .setAttribute('position', new BufferAttribute(positions, 3))
        .setIndex(new BufferAttribute(triangles.slice(), 1));
    const timed = (run: () => void): number => {
      const from = performance.now();
      run();
      return performance.now() - from;
    };
    const times = (warm: number, runs: number, run: () => void): Promise<number> =>
      medianOf(warm, runs, () => timed(run));
    const theirs = new MeshBVH(geometry(), { strategy: SAH });
    const MESH_BVH = 'three-mesh-bvh';
    const rows: BenchRow[] = [];
    const compiledTimes: number[] = [];
    const compare = (what: string, ours: number, twin: number, other: number): void => {
      compiledTimes.push(ours);
      rows.push(row('rays', what, MESH_BVH, ours, other, 'ms'));
      rows.push(row('rays', `${what}, plain twin`, MESH_BVH, twin, other, 'ms'));
    };
    compare(
      `build, ${count} triangles`,
      await times(1, 7, () => void compiled.builder.build(alone)),
      await times(1, 3, plain.build),
      await times(1, 3, () => void new MeshBVH(geometry(), { strategy: SAH })),
    );
    const fit = await times(1, 7, () => void compiled.builder.move(alone, true));
    rows.push(row('rays', 'fit to vertices that moved', 'build', fit, compiledTimes[0], 'ms'));
    const primary = primaryRays();
    const bounce = bounceRays(plain.bvh, primary);
    for (const [name, set] of [
      ['primary', primary],
      ['bounce', bounce],
    ] as const) {
      compare(
        `${name}, closest hit, ${set.length / FLOATS} rays`,
        await times(1, 5, () => kernelClosest(compiled.kernel, set)),
        await times(0, 1, () => plainClosest(plain.bvh, set)),
        await times(0, 1, () => theirClosest(theirs, set)),
      );
    }
    compare(
      `shadow, any hit (theirs closest), ${bounce.length / FLOATS} rays`,
      await times(1, 5, () => kernelAny(compiled.kernel, bounce)),
      await times(0, 1, () => plainAny(plain.bvh, bounce)),
      await times(0, 1, () => theirClosest(theirs, bounce)),
    );
    rows.push(await builtByTwo());
    const native = nativeTimes(positions, triangles, [
      { rays: primary, anyHit: false },
      { rays: bounce, anyHit: false },
      { rays: bounce, anyHit: true },
    ]);
    if (typeof native === 'string') process.stderr.write(`bench rays: no native contender, ${native}.\n`);
    else
      ['build', 'primary, closest hit', 'bounce, closest hit', 'shadow, any hit'].forEach((what, i) =>
        rows.push(row('rays', what, 'Embree, robust, 128 bits', compiledTimes[i], native[i], 'ms')),
      );
    return rows;
  },
};

/** A path-traced picture so small that it is little more than its structure, built anew each time. */
async function builtByTwo(): Promise<BenchRow> {
  const { buffer } = openField();
  const settings = { 'samples.method': 'path', 'output.width': 16, 'output.height': 16, 'samples.pixel': 1 };
  const time = async (threads: number): Promise<number> => {
    const pool = createNodePool(threads);
    let n = 0;
    // a scene that the threads have not met before
    const result = await medianOf(3, 9, async () => (await frameOf(pool, buffer, `s${n++}`)(settings)).seconds * 1000);
    pool.terminate();
    return result;
  };
  const [one, two] = [await time(1), await time(2)];
  return row('rays', 'first traced picture of the open field, 16×16, two threads', 'one thread', two, one, 'ms');
}

/** A closed room of finely divided walls with turned bodies and thin rods in it: about 200 000 triangles. */
function room(): { positions: Float32Array; triangles: Uint32Array } {
  const positions: number[] = [];
  const triangles: number[] = [];
  const grid = (columns: number, rows: number, at: (u: number, v: number) => [number, number, number]): void => {
    const first = positions.length / 3;
    for (let j = 0; j <= rows; j++) for (let i = 0; i <= columns; i++) positions.push(...at(i / columns, j / rows));
    for (let j = 0; j < rows; j++)
      for (let i = 0; i < columns; i++) {
        const a = first + j * (columns + 1) + i;
        triangles.push(a, a + 1, a + columns + 2, a, a + columns + 2, a + columns + 1);
      }
  };
  for (let axis = 0; axis < 3; axis++)
    for (const side of [-5, 5])
      grid(40, 40, (u, v) => {
        const p: [number, number, number] = [0, 0, 0];
        p[axis] = side;
        p[(axis + 1) % 3] = u * 10 - 5;
        p[(axis + 2) % 3] = v * 10 - 5;
        return p;
      });
  const random = randomStream(2);
  const turned = (radius: number, tall: number, columns: number, rows: number): void => {
    const [x, y, z] = [random() * 8 - 4, random() * 8 - 4, random() * 8 - 4];
    const [lean, way] = [random() * 2 - 1, random() * 2 - 1];
    grid(columns, rows, (u, v) => {
      const r = radius * (tall > 1 ? 1 : Math.sin(Math.PI * v) * (1 + 0.25 * Math.sin(9 * v)));
      const h = (v - 0.5) * tall;
      const a = u * 2 * Math.PI;
      return [x + Math.cos(a) * r + h * lean, y + h, z + Math.sin(a) * r + h * way];
    });
  };
  for (let i = 0; i < 60; i++) turned(0.5, 0.9, 48, 30);
  for (let i = 0; i < 400; i++) turned(0.012, 4, 6, 2);
  return { positions: Float32Array.from(positions), triangles: Uint32Array.from(triangles) };
}

/** From one place over a wide view. */
function primaryRays(): Float64Array {
  const set = new Float64Array(RAYS * FLOATS);
  const side = Math.ceil(Math.sqrt(RAYS));
  for (let i = 0; i < RAYS; i++) {
    const x = ((i % side) / side - 0.5) * 1.2;
    const y = (Math.floor(i / side) / side - 0.5) * 0.68;
    set.set([0.6, 1.2, 4.6, x - 0.1, y - 0.2, -1], i * FLOATS);
  }
  return set;
}

/** From where primary rays end, into all directions. */
function bounceRays(bvh: BvhArrays, primary: Float64Array): Float64Array {
  const random = randomStream(5);
  const set: number[] = [];
  for (let i = 0; i < primary.length; i += FLOATS) {
    const [ox, oy, oz, dx, dy, dz] = primary.subarray(i, i + FLOATS);
    if (!closestHit(bvh, ox, oy, oz, dx, dy, dz)) continue;
    const t = hit.distance * 0.9999;
    set.push(ox + dx * t, oy + dy * t, oz + dz * t, random() * 2 - 1, random() * 2 - 1, random() * 2 - 1);
  }
  return Float64Array.from(set);
}

function kernelClosest(kernel: RayKernel, set: Float64Array): void {
  for (let i = 0; i < set.length; i += FLOATS)
    kernel.closest(set[i], set[i + 1], set[i + 2], set[i + 3], set[i + 4], set[i + 5], 0, 0);
}

function kernelAny(kernel: RayKernel, set: Float64Array): void {
  for (let i = 0; i < set.length; i += FLOATS)
    kernel.shadow(set[i], set[i + 1], set[i + 2], set[i + 3], set[i + 4], set[i + 5], Infinity);
}

function plainClosest(bvh: BvhArrays, set: Float64Array): void {
  for (let i = 0; i < set.length; i += FLOATS)
    closestHit(bvh, set[i], set[i + 1], set[i + 2], set[i + 3], set[i + 4], set[i + 5]);
}

function plainAny(bvh: BvhArrays, set: Float64Array): void {
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
