/** How much light the surfaces of each instance stop, and whether from both sides. */
import {
  ALPHA_BLEND,
  ALPHA_MASK,
  M_ALPHA,
  M_ALPHA_MODE,
  M_DOUBLE_SIDED,
  M_TRANSMISSION,
  MATERIAL_STRIDE,
} from '../../scene/materialTable';
import {
  INSTANCE_FIRST_TRIANGLE,
  INSTANCE_STRIDE,
  INSTANCE_TRIANGLE_COUNT,
  type CompiledScene,
} from '../../scene/compiled';

/** Of leaves and nets as much is there, about. */
const CUT_OUT = 0.6;

/**
 * @param source with all triangles
 * @param out a number an instance: 0 for what lets light through, below 0 where both sides are seen. What is closed has no
 * other side, whatever its material says: a face that is never seen would stand in the way of its own cones.
 */
export function writeOpacity(source: CompiledScene, out: Float32Array): void {
  const { instances, materials, triangleMaterial } = source;
  measuresOf(source).forEach(({ count, closed }, i) => {
    const m = triangleMaterial[instances[i * INSTANCE_STRIDE + INSTANCE_FIRST_TRIANGLE]] * MATERIAL_STRIDE;
    const stops = count > 0 ? opacityOf(materials, m) : 0;
    out[i] = materials[m + M_DOUBLE_SIDED] === 1 && !closed ? -stops : stops;
  });
}

function opacityOf(materials: Float32Array, m: number): number {
  if (materials[m + M_TRANSMISSION] > 0) return 0;
  const mode = materials[m + M_ALPHA_MODE];
  if (mode === ALPHA_BLEND) return Math.min(1, Math.max(0, materials[m + M_ALPHA]));
  return mode === ALPHA_MASK ? CUT_OUT : 1;
}

/** Of an instance in its object's space: triangles, and whether they close something in. */
interface Measures {
  count: number;
  closed: boolean;
}

const known = new WeakMap<CompiledScene, Measures[]>();
/** What is closed has as much area one way as the other: this share is rounding and modelling. */
const OPEN = 0.01;

/** They are looked for once a scene, triangle by triangle. */
function measuresOf(scene: CompiledScene): Measures[] {
  const found = known.get(scene);
  if (found) return found;
  const { instances, positions, triangles } = scene;
  const all: Measures[] = [];
  for (let i = 0; i < instances.length; i += INSTANCE_STRIDE) {
    const first = instances[i + INSTANCE_FIRST_TRIANGLE];
    const count = instances[i + INSTANCE_TRIANGLE_COUNT];
    let [area, ax, ay, az] = [0, 0, 0, 0];
    for (let t = first; t < first + count; t++) {
      const [a, b, c] = [triangles[t * 3] * 3, triangles[t * 3 + 1] * 3, triangles[t * 3 + 2] * 3];
      const ux = positions[b] - positions[a];
      const uy = positions[b + 1] - positions[a + 1];
      const uz = positions[b + 2] - positions[a + 2];
      const vx = positions[c] - positions[a];
      const vy = positions[c + 1] - positions[a + 1];
      const vz = positions[c + 2] - positions[a + 2];
      const [x, y, z] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
      area += Math.sqrt(x * x + y * y + z * z);
      ax += x;
      ay += y;
      az += z;
    }
    all.push({ count, closed: Math.sqrt(ax * ax + ay * ay + az * az) <= OPEN * area });
  }
  known.set(scene, all);
  return all;
}
