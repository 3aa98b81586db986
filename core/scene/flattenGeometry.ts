/** Meshes of a scene as flat arrays, an instance a node and primitive. */
import { BadFileError } from '../errors';
import { INSTANCE_STRIDE, type CompiledScene } from './compiled';
import { faceNormals, keepRealTriangles, uvTangents } from './meshRepair';
import { COARSER_LEVELS, LEVEL_STRIDE, type SimplifiedLevel, type Simplifier } from './detail';
import type { MaterialSource, NodeSource, PrimitiveSource, SceneSource } from './source';

type Geometry = Pick<
  CompiledScene,
  | 'positions'
  | 'normals'
  | 'tangents'
  | 'uvs'
  | 'colors'
  | 'triangles'
  | 'triangleMaterial'
  | 'triangleInstance'
  | 'instances'
  | 'instanceSpheres'
  | 'drawClasses'
  | 'levels'
  | 'levelTriangles'
>;

/** All primitives that nodes draw, one behind the other; what cannot be drawn is left out or repaired, and told. */
export function flattenGeometry(
  source: SceneSource,
  nodes: NodeSource[],
  warnings: string[],
  simplify: Simplifier | null,
  told: (done: number, of: number) => void,
): { arrays: Geometry; names: string[] } {
  const draws: { node: number; name: string; primitive: PrimitiveSource; indices: Uint32Array }[] = [];
  const realTriangles = new Map<PrimitiveSource, Uint32Array>();
  let dropped = 0;
  nodes.forEach((n, node) => {
    if (n.mesh === undefined) return;
    const mesh = source.meshes[n.mesh];
    for (const primitive of mesh.primitives) {
      let indices = realTriangles.get(primitive);
      if (!indices) {
        checkFinite(source.name, mesh.name, primitive);
        indices = keepRealTriangles(primitive.positions, primitive.indices);
        dropped += (primitive.indices.length - indices.length) / 3;
        realTriangles.set(primitive, indices);
      }
      if (indices.length > 0) draws.push({ node, name: n.name || mesh.name, primitive, indices });
    }
  });
  if (dropped >= 1) warnings.push(`${Math.ceil(dropped)} triangles have no area and were left out.`);

  const vertexCount = draws.reduce((sum, d) => sum + d.primitive.positions.length / 3, 0);
  const triangleCount = draws.reduce((sum, d) => sum + d.indices.length / 3, 0);
  const g: Geometry = {
    positions: new Float32Array(vertexCount * 3),
    normals: new Float32Array(vertexCount * 3),
    tangents: new Float32Array(vertexCount * 4),
    uvs: new Float32Array(vertexCount * 2),
    colors: new Float32Array(vertexCount * 4).fill(1),
    triangles: new Uint32Array(triangleCount * 3),
    triangleMaterial: new Uint16Array(triangleCount),
    triangleInstance: new Uint32Array(triangleCount),
    instances: new Uint32Array(draws.length * INSTANCE_STRIDE),
    instanceSpheres: new Float32Array(draws.length * 4),
    drawClasses: new Uint8Array(draws.length),
    levels: new Uint32Array(draws.length * COARSER_LEVELS * LEVEL_STRIDE),
    levelTriangles: new Uint32Array(0),
  };
  const frames = new Map<PrimitiveSource, PrimitiveFrame>();
  const coarser: { first: number; levels: SimplifiedLevel[] }[] = [];
  let v = 0;
  let t = 0;
  draws.forEach(({ node, primitive, indices }, i) => {
    const count = primitive.positions.length / 3;
    const material = primitive.material < 0 ? source.materials.length : primitive.material;
    let frame = frames.get(primitive);
    if (!frame) {
      told(frames.size, realTriangles.size);
      const normals = primitive.normals ?? faceNormals(primitive.positions, indices);
      const needsTangents = source.materials[material]?.normalTexture !== undefined;
      frame = {
        normals,
        tangents: needsTangents ? (primitive.tangents ?? uvTangents(primitive, normals)) : null,
        sphere: ballAround(primitive.positions, indices),
        levels: levelsOf(primitive, normals, indices, source.materials[material], simplify),
      };
      frames.set(primitive, frame);
    }
    g.positions.set(primitive.positions, v * 3);
    g.normals.set(frame.normals, v * 3);
    if (frame.tangents) g.tangents.set(frame.tangents, v * 4);
    if (primitive.uvs) g.uvs.set(primitive.uvs, v * 2);
    if (primitive.colors) g.colors.set(primitive.colors, v * 4);
    for (let k = 0; k < indices.length; k++) g.triangles[t * 3 + k] = v + indices[k];
    g.triangleMaterial.fill(material, t, t + indices.length / 3);
    g.triangleInstance.fill(i, t, t + indices.length / 3);
    g.instances.set([node, v, count, t, indices.length / 3], i * INSTANCE_STRIDE);
    g.instanceSpheres.set(frame.sphere, i * 4);
    coarser.push({ first: v, levels: frame.levels });
    v += count;
    t += indices.length / 3;
  });
  g.levelTriangles = layLevels(coarser, g.levels);
  const repaired =
    makeFinite(g.normals, 0, 3) + makeFinite(g.tangents, 0, 4) + makeFinite(g.uvs, 0, 2) + makeFinite(g.colors, 1, 4);
  if (repaired > 0)
    warnings.push(
      `${repaired} vertices have normals, colours or texture coordinates that are not finite numbers; they were replaced.`,
    );
  return { arrays: g, names: draws.map((d) => d.name) };
}

/** What the instances of a primitive share. */
interface PrimitiveFrame {
  normals: Float32Array;
  tangents: Float32Array | null;
  /** Centre xyz, radius. */
  sphere: [number, number, number, number];
  levels: SimplifiedLevel[];
}

/** The ball about the middle of the box around what the triangles use. */
function ballAround(positions: Float32Array, indices: Uint32Array): [number, number, number, number] {
  const middle = [0, 0, 0];
  for (let c = 0; c < 3; c++) {
    let [low, high] = [Infinity, -Infinity];
    for (let k = 0; k < indices.length; k++) {
      const at = positions[indices[k] * 3 + c];
      if (at < low) low = at;
      if (at > high) high = at;
    }
    middle[c] = (low + high) / 2;
  }
  const [x, y, z] = middle;
  let most = 0;
  for (let k = 0; k < indices.length; k++) {
    const p = indices[k] * 3;
    const dx = positions[p] - x;
    const dy = positions[p + 1] - y;
    const dz = positions[p + 2] - z;
    const d = dx * dx + dy * dy + dz * dz;
    if (d > most) most = d;
  }
  return [x, y, z, Math.sqrt(most)];
}

function levelsOf(
  { positions }: PrimitiveSource,
  normals: Float32Array,
  indices: Uint32Array,
  material: MaterialSource | undefined,
  simplify: Simplifier | null,
): SimplifiedLevel[] {
  if (!simplify || material?.emissive.some((e) => e > 0)) return [];
  return simplify({ positions, normals, indices }).slice(0, COARSER_LEVELS);
}

/** Lays the levels of all instances one behind the other and notes in `table` where. */
function layLevels(coarser: { first: number; levels: SimplifiedLevel[] }[], table: Uint32Array): Uint32Array {
  const total = coarser.reduce((sum, c) => sum + c.levels.reduce((s, l) => s + l.indices.length, 0), 0);
  const out = new Uint32Array(total);
  let at = 0;
  coarser.forEach(({ first, levels }, i) => {
    levels.forEach(({ indices }, l) => {
      table.set([at / 3, indices.length / 3], (i * COARSER_LEVELS + l) * LEVEL_STRIDE);
      for (let k = 0; k < indices.length; k++) out[at + k] = first + indices[k];
      at += indices.length;
    });
  });
  return out;
}

function checkFinite(file: string, mesh: string, primitive: PrimitiveSource): void {
  const p = primitive.positions;
  for (let i = 0; i < p.length; i++) {
    if (p[i] - p[i] !== 0) {
      const vertex = Math.floor(i / 3);
      throw new BadFileError(
        file,
        `mesh "${mesh}", vertex ${vertex} has a position that is not a finite number`,
        'Repair or delete that vertex and export again.',
      );
    }
  }
}

/** @returns how many vertices had to be changed */
function makeFinite(values: Float32Array, otherwise: number, stride: number): number {
  let vertices = 0;
  for (let v = 0; v < values.length; v += stride) {
    let changed = false;
    for (let k = v; k < v + stride; k++) {
      if (Number.isFinite(values[k])) continue;
      values[k] = otherwise;
      changed = true;
    }
    if (changed) vertices++;
  }
  return vertices;
}
