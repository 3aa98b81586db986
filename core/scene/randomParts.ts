/**
 * What is random in a scene besides its camera: things that sway, and sparks. Both are functions of take, node and time
 * alone, so that any instant of any frame can be posed by itself, and one take is the same in every render.
 */
import { cos, sin, tan } from '../math/exact';
import { fromTrs, type Mat4 } from '../math/mat4';
import { hashCombine, random01 } from '../math/random';
import { bandNoise } from './bandNoise';
import type { MaterialSource, SceneSource, SparksSource, SwaySource } from './source';

export interface PlacedSway extends SwaySource {
  node: number;
}
/** An emitter; its sparks are nodes of their own, `first` … `first + count − 1`. */
export interface PlacedSparks extends SparksSource {
  node: number;
  first: number;
  count: number;
}

/** Streams of random numbers of one node. */
const SWAY = 101;
const SPARKS = 202;
export const MOST_SPARKS = 2000;
/** Size of a spark that is not lit, as a share: nothing is seen of it, and its matrix can still be inverted. */
const OUT = 1e-4;

/** A turn about the node's own x and z, to follow its own transform. */
export function swayMatrix({ node, angleDeg, hertz }: PlacedSway, take: number, timeSeconds: number): Mat4 {
  const seed = hashCombine(take, node);
  const angle = (axis: number): number =>
    ((angleDeg * Math.PI) / 180) * bandNoise(seed, SWAY + axis, hertz, timeSeconds);
  const [a, b] = [angle(0) / 2, angle(1) / 2];
  const [ca, sa, cb, sb] = [cos(a), sin(a), cos(b), sin(b)];
  // about x, then about z
  return fromTrs([0, 0, 0], [sa * cb, sa * sb, ca * sb, ca * cb], [1, 1, 1]);
}

/** How many sparks an emitter has at once at most. */
export function sparkCount({ perSecond, life }: SparksSource): number {
  return Math.min(MOST_SPARKS, Math.max(1, Math.ceil(perSecond * life)));
}

/**
 * World matrix of one spark: born at the emitter, thrown along its −Z within a cone, drawn down by gravity, and shrinking
 * until it is out; then it is born anew. Its emitter is taken to stand still while it flies.
 * @param emitter world matrix of the emitter @param k of `count`
 */
export function sparkMatrix(s: PlacedSparks, emitter: Mat4, take: number, k: number, timeSeconds: number): Mat4 {
  const seed = hashCombine(take, s.node);
  // each is born when its turn comes round, a little off the beat
  const period = s.count / s.perSecond;
  const turns = timeSeconds / period - (k + random01(seed, SPARKS, k, 0)) / s.count;
  const generation = Math.floor(turns);
  const age = (turns - generation) * period;
  const random = (dimension: number): number => random01(seed, SPARKS + 1 + k, generation | 0, dimension);
  // shorter lives are as likely as long ones, none is below half
  const life = Math.min(s.life, period) * (0.5 + 0.5 * random(0));
  const left = 1 - age / life;
  if (left <= 0) return at([emitter[12], emitter[13], emitter[14]], s.size * OUT);
  const speed = s.speed * (0.6 + 0.4 * random(1));
  const around = 2 * Math.PI * random(2);
  const aside = tan(Math.min(1.5, (s.spreadDeg * Math.PI) / 180)) * Math.sqrt(random(3));
  const local = [aside * cos(around), aside * sin(around), -1];
  const length = Math.sqrt(aside * aside + 1);
  const place = [0, 1, 2].map((c) => {
    const along = (emitter[c] * local[0] + emitter[4 + c] * local[1] + emitter[8 + c] * local[2]) / length;
    const fall = c === 1 ? (s.gravity * age * age) / 2 : 0;
    return emitter[12 + c] + along * speed * age - fall;
  });
  return at(place, s.size * Math.sqrt(left));
}

function at(place: ArrayLike<number>, size: number): Mat4 {
  return fromTrs(place, [0, 0, 0, 1], [size, size, size]);
}

/** A glowing octahedron of half a metre's radius. */
function sparkMesh(material: number) {
  const corners = [0.5, 0, 0, -0.5, 0, 0, 0, 0.5, 0, 0, -0.5, 0, 0, 0, 0.5, 0, 0, -0.5];
  const faces = [0, 2, 4, 2, 1, 4, 1, 3, 4, 3, 0, 4, 2, 0, 5, 1, 2, 5, 3, 1, 5, 0, 3, 5];
  return { material, positions: Float32Array.from(corners), indices: Uint32Array.from(faces) };
}

/** A scene in which every spark is a node. @returns the same scene where there are none */
export function withSparks(source: SceneSource, plain: MaterialSource): SceneSource {
  if (!source.nodes.some((n) => n.sparks)) return source;
  const [nodes, meshes, materials] = [[...source.nodes], [...source.meshes], [...source.materials]];
  source.nodes.forEach((n) => {
    if (!n.sparks) return;
    const glow = { ...plain, name: `${n.name} sparks`, baseColor: [0, 0, 0, 1] as MaterialSource['baseColor'] };
    materials.push({ ...glow, emissive: n.sparks.radiance });
    meshes.push({ name: `${n.name} spark`, primitives: [sparkMesh(materials.length - 1)] });
    for (let k = 0; k < sparkCount(n.sparks); k++)
      nodes.push({
        name: `${n.name} spark ${k + 1}`,
        parent: -1,
        translation: [0, 0, 0],
        rotation: [0, 0, 0, 1],
        scale: [OUT, OUT, OUT],
        mesh: meshes.length - 1,
      });
  });
  return { ...source, nodes, meshes, materials };
}

/** Where the sparks of each emitter stand among the nodes. @param count of nodes before sparks were added */
export function placeSparks(source: SceneSource, count: number, indexOf: readonly number[]): PlacedSparks[] {
  let next = count;
  return source.nodes.slice(0, count).flatMap((n, i) => {
    if (!n.sparks) return [];
    const own = { ...n.sparks, node: indexOf[i], first: indexOf[next], count: sparkCount(n.sparks) };
    next += own.count;
    return [own];
  });
}
