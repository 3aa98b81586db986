/** Glowing surfaces as lights: triangles drawn by their power. */
import { crossLength, edgeCross } from '../math/triangle';
import { luminance } from '../math/color';
import type { CompiledScene } from '../scene/compiled';
import {
  ALPHA_BLEND,
  M_ALPHA_MODE,
  M_DOUBLE_SIDED,
  M_EMISSIVE_R,
  M_SLOT,
  M_TRANSMISSION,
  MATERIAL_STRIDE,
  SLOT_EMISSIVE,
  SLOT_STRIDE,
} from '../scene/materialTable';
import { sampleTexture } from '../scene/textureTable';
import { place } from './environmentSampler';

export interface GlowingTriangles {
  /** Triangle numbers of the scene. */
  triangles: Uint32Array;
  /** Running sum of probability, one more than triangles. */
  sums: Float64Array;
  /** Probability per square metre with which a point of a material is drawn; 0 where it does not glow. */
  density: Float64Array;
  /** All of them together: luminous intensity in candela, about where, and how far around it, metres. */
  candela: number;
  centre: [number, number, number];
  spread: number;
}

/** @param positions xyz per vertex at the frame's pose, world space @returns null when nothing glows */
export function glowingTriangles(scene: CompiledScene, positions: Float32Array): GlowingTriangles | null {
  const { triangles, materials, triangleMaterial } = scene;
  const density = Float64Array.from({ length: materials.length / MATERIAL_STRIDE }, (_, m) => meanNits(scene, m));
  const list: number[] = [];
  const power: number[] = [];
  let total = 0;
  const centre: [number, number, number] = [0, 0, 0];
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (let t = 0; t < triangleMaterial.length; t++) {
    const nit = density[triangleMaterial[t]];
    if (!(nit > 0)) continue;
    const p = nit * triangleArea(positions, triangles, t);
    if (!(p > 0)) continue;
    list.push(t);
    power.push(p);
    total += p;
    for (let k = 0; k < 3; k++) {
      for (let corner = 0; corner < 3; corner++) {
        const c = positions[triangles[t * 3 + corner] * 3 + k];
        centre[k] += (c * p) / 3;
        if (c < low[k]) low[k] = c;
        if (c > high[k]) high[k] = c;
      }
    }
  }
  if (list.length === 0) return null;
  const sums = new Float64Array(list.length + 1);
  for (let i = 0; i < list.length; i++) sums[i + 1] = sums[i] + power[i] / total;
  for (let m = 0; m < density.length; m++) density[m] = Math.max(0, density[m]) / total;
  const size = high.map((h, k) => h - low[k]);
  return {
    triangles: Uint32Array.from(list),
    sums,
    density,
    candela: total,
    centre: centre.map((c) => c / total) as [number, number, number],
    spread: Math.sqrt(size[0] ** 2 + size[1] ** 2 + size[2] ** 2) / 2,
  };
}

/** Draws a triangle. */
export function pickTriangle(from: GlowingTriangles, u: number): number {
  return from.triangles[place(from.sums, 0, from.triangles.length, u * from.sums[from.triangles.length])];
}

/** Do both faces of a material glow? */
export function glowsBothWays(scene: CompiledScene, material: number): boolean {
  const m = material * MATERIAL_STRIDE;
  const { materials } = scene;
  return (
    materials[m + M_DOUBLE_SIDED] === 1 ||
    materials[m + M_ALPHA_MODE] === ALPHA_BLEND ||
    materials[m + M_TRANSMISSION] > 0
  );
}

const texel = new Float64Array(4);

function meanNits(scene: CompiledScene, material: number): number {
  const m = material * MATERIAL_STRIDE;
  const { materials } = scene;
  const e = m + M_EMISSIVE_R;
  const texture = materials[m + M_SLOT + SLOT_EMISSIVE * SLOT_STRIDE];
  texel.fill(1);
  // the coarsest level of a picture is its mean; a little more, so that no glowing corner is never drawn
  if (texture >= 0) {
    sampleTexture(scene.texels, scene.textures, texture, 0.5, 0.5, 30, texel);
    for (let c = 0; c < 3; c++) texel[c] += 0.01;
  }
  const nit = luminance(materials[e] * texel[0], materials[e + 1] * texel[1], materials[e + 2] * texel[2]);
  return glowsBothWays(scene, material) ? nit * 2 : nit;
}

const cross = new Float64Array(3);

function triangleArea(P: Float32Array, triangles: Uint32Array, t: number): number {
  edgeCross(P, triangles[t * 3] * 3, triangles[t * 3 + 1] * 3, triangles[t * 3 + 2] * 3, cross);
  return crossLength(cross) / 2;
}
