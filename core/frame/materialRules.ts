/** How the triangles of each material take part in the picture and in shadows. */
import { KIND_GLASS, KIND_MASK, KIND_OPAQUE } from '../raster/visibility';
import { INSTANCE_FIRST_TRIANGLE, INSTANCE_STRIDE, type CompiledScene } from '../scene/compiled';
import {
  ALPHA_BLEND,
  ALPHA_MASK,
  M_ALPHA_MODE,
  M_DOUBLE_SIDED,
  M_TRANSMISSION,
  MATERIAL_STRIDE,
} from '../scene/materialTable';
import { KIND_FRONT_ONLY, KIND_LOOK, KIND_SOLID } from '../trace/rayKernel';
import { CAST_CUTOUT, CAST_GLASS, CAST_NONE, CAST_SOLID } from '../shadows/shadowMap';

/** KIND_* per material. */
export function materialKinds(scene: CompiledScene): Uint8Array {
  return perMaterial(scene, (i, m) => {
    if (isGlass(scene, i)) return KIND_GLASS;
    return scene.materials[m + M_ALPHA_MODE] === ALPHA_MASK ? KIND_MASK : KIND_OPAQUE;
  });
}

/** Both faces of thin and of see-through materials are drawn, the front alone of the others. */
export function faceRule(scene: CompiledScene): Uint8Array {
  return perMaterial(scene, (i, m) => (scene.materials[m + M_DOUBLE_SIDED] === 1 || isGlass(scene, i) ? 2 : 1));
}

/** CAST_* per material. */
export function castKinds(scene: CompiledScene, glass: boolean): Uint8Array {
  return perMaterial(scene, (i, m) => {
    if (isGlass(scene, i)) return glass ? CAST_GLASS : CAST_NONE;
    return scene.materials[m + M_ALPHA_MODE] === ALPHA_MASK ? CAST_CUTOUT : CAST_SOLID;
  });
}

/** How each material takes the kernel's rays. @param frontOnly 1 per material whose back is not seen by the camera */
export function rayKinds(casts: Uint8Array, frontOnly: Uint8Array | null = null): Uint8Array {
  return casts.map((cast, m) => {
    const shadow = cast === CAST_NONE ? 0 : cast === CAST_SOLID ? KIND_SOLID : KIND_LOOK;
    return shadow | (frontOnly?.[m] === 1 ? KIND_FRONT_ONLY : 0);
  });
}

/** Whatever casts does so with both faces. */
export function casterRule(casts: Uint8Array): Uint8Array {
  return casts.map((c) => (c === CAST_NONE ? 0 : 2));
}

/** Is any triangle of the scene see-through? */
export function hasGlass(scene: CompiledScene): boolean {
  const glass = perMaterial(scene, (i) => (isGlass(scene, i) ? 1 : 0));
  // all triangles of an instance are of one material
  for (let i = INSTANCE_FIRST_TRIANGLE; i < scene.instances.length; i += INSTANCE_STRIDE)
    if (glass[scene.triangleMaterial[scene.instances[i]]] === 1) return true;
  return false;
}

/** 1 per drawn instance of which any triangle is see-through. */
export function seeThroughInstances(scene: CompiledScene): Uint8Array {
  const glass = perMaterial(scene, (i) => (isGlass(scene, i) ? 1 : 0));
  const out = new Uint8Array(scene.instances.length / INSTANCE_STRIDE);
  scene.triangleMaterial.forEach((m, t) => {
    if (glass[m] === 1) out[scene.triangleInstance[t]] = 1;
  });
  return out;
}

function isGlass(scene: CompiledScene, material: number): boolean {
  const m = material * MATERIAL_STRIDE;
  return scene.materials[m + M_ALPHA_MODE] === ALPHA_BLEND || scene.materials[m + M_TRANSMISSION] > 0;
}

function perMaterial(scene: CompiledScene, value: (material: number, at: number) => number): Uint8Array {
  return Uint8Array.from({ length: scene.materials.length / MATERIAL_STRIDE }, (_, i) => value(i, i * MATERIAL_STRIDE));
}
