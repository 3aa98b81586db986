/** What a primitive lacks is made from what it has: normals from faces, tangents from uvs. */
import { crossLength, edgeCross } from '../math/triangle';
import type { PrimitiveSource } from './source';

const cross = new Float64Array(3);

/** Area-weighted vertex normals; vertices of no triangle point up. */
export function faceNormals(positions: Float32Array, indices: Uint32Array): Float32Array {
  const normals = new Float32Array(positions.length);
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [indices[t] * 3, indices[t + 1] * 3, indices[t + 2] * 3];
    edgeCross(positions, a, b, c, cross);
    for (const p of [a, b, c]) for (let k = 0; k < 3; k++) normals[p + k] += cross[k];
  }
  for (let p = 0; p < normals.length; p += 3) {
    const l = Math.sqrt(normals[p] ** 2 + normals[p + 1] ** 2 + normals[p + 2] ** 2);
    if (l > 0) for (let k = 0; k < 3; k++) normals[p + k] /= l;
    else normals[p + 1] = 1;
  }
  return normals;
}

/**
 * Tangents along +u, orthogonal to the normals, w the sign of the bitangent
 * (Lengyel 2001, Computing Tangent Space Basis Vectors for an Arbitrary Mesh).
 */
export function uvTangents(primitive: PrimitiveSource, normals: Float32Array): Float32Array {
  const { positions, uvs, indices } = primitive;
  const count = positions.length / 3;
  const tangents = new Float32Array(count * 4);
  if (!uvs) return tangents;
  const t1 = new Float64Array(count * 3);
  const t2 = new Float64Array(count * 3);
  for (let i = 0; i < indices.length; i += 3) {
    const [a, b, c] = [indices[i], indices[i + 1], indices[i + 2]];
    const s1 = uvs[b * 2] - uvs[a * 2];
    const s2 = uvs[c * 2] - uvs[a * 2];
    const v1 = uvs[b * 2 + 1] - uvs[a * 2 + 1];
    const v2 = uvs[c * 2 + 1] - uvs[a * 2 + 1];
    const area = s1 * v2 - s2 * v1;
    if (area === 0) continue;
    for (let k = 0; k < 3; k++) {
      const e1 = positions[b * 3 + k] - positions[a * 3 + k];
      const e2 = positions[c * 3 + k] - positions[a * 3 + k];
      const s = (v2 * e1 - v1 * e2) / area;
      const t = (s1 * e2 - s2 * e1) / area;
      for (const v of [a, b, c]) {
        t1[v * 3 + k] += s;
        t2[v * 3 + k] += t;
      }
    }
  }
  for (let v = 0; v < count; v++) {
    const n = normals.subarray(v * 3, v * 3 + 3);
    const s = t1.subarray(v * 3, v * 3 + 3);
    const d = n[0] * s[0] + n[1] * s[1] + n[2] * s[2];
    const t = [s[0] - n[0] * d, s[1] - n[1] * d, s[2] - n[2] * d];
    const l = Math.sqrt(t[0] ** 2 + t[1] ** 2 + t[2] ** 2);
    if (l === 0) continue;
    for (let k = 0; k < 3; k++) tangents[v * 4 + k] = t[k] / l;
    const bx = n[1] * t[2] - n[2] * t[1];
    const by = n[2] * t[0] - n[0] * t[2];
    const bz = n[0] * t[1] - n[1] * t[0];
    const sign = bx * t2[v * 3] + by * t2[v * 3 + 1] + bz * t2[v * 3 + 2];
    // glTF measures v downwards while the green of a normal map points up: the bitangent runs against +v
    tangents[v * 4 + 3] = sign < 0 ? 1 : -1;
  }
  return tangents;
}

/** Indices without the triangles that have no area or reach outside the vertices. */
export function keepRealTriangles(positions: Float32Array, indices: Uint32Array): Uint32Array {
  const count = positions.length / 3;
  const kept = new Uint32Array(indices.length - (indices.length % 3));
  let n = 0;
  for (let t = 0; t + 2 < indices.length; t += 3) {
    const a = indices[t];
    const b = indices[t + 1];
    const c = indices[t + 2];
    if (a >= count || b >= count || c >= count || a === b || b === c || a === c) continue;
    edgeCross(positions, a * 3, b * 3, c * 3, cross);
    if (!(crossLength(cross) > 0)) continue;
    kept[n++] = a;
    kept[n++] = b;
    kept[n++] = c;
  }
  return n === indices.length ? indices : kept.slice(0, n);
}
