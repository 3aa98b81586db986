/** Directions about a normal, drawn by their cosine. */
import { cos, sin } from '../../math/exact';
import { perpendiculars } from '../../light/sampleLight';
import type { Triple } from '../method';

const across = new Float64Array(6);

/**
 * Malley's method: even points of a disc, lifted to the half sphere. Density: cosine / π per steradian.
 * @param normal unit vectors, of which the `i`-th counts @param u, v numbers in [0, 1) @param out unit direction
 */
export function cosineDirection(normal: Triple, i: number, u: number, v: number, out: Float64Array): void {
  const x = normal[0][i];
  const y = normal[1][i];
  const z = normal[2][i];
  perpendiculars(x, y, z, across);
  const r = Math.sqrt(u);
  const a = r * cos(2 * Math.PI * v);
  const b = r * sin(2 * Math.PI * v);
  const up = Math.sqrt(Math.max(0, 1 - u));
  out[0] = across[0] * a + across[3] * b + x * up;
  out[1] = across[1] * a + across[4] * b + y * up;
  out[2] = across[2] * a + across[5] * b + z * up;
}
