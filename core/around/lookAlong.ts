/** What lies along a ray, and from which side it is seen: what stands inside something is told by that. */
import { M_DOUBLE_SIDED, MATERIAL_STRIDE } from '../scene/materialTable';
import { CAST_SOLID } from '../shadows/shadowMap';
import { seesFront } from '../trace/bvhLayout';
import { hit, traceRay } from '../trace/traceRay';
import type { ShadowRays } from '../trace/traceShadow';

/** The nearest solid surface along a ray. */
export interface Sight {
  /** Metres; Infinity where there is none. */
  distance: number;
  /** It is the back of something closed: the ray began inside. */
  back: boolean;
}

/** Panes and leaves that a ray may go through. */
const MOST_PASSED = 64;
const sight: Sight = { distance: Infinity, back: false };

/** Glass, leaves and what lets light through are looked past. @param d unit direction @returns valid until the next call */
export function lookAlong(rays: ShadowRays, x: number, y: number, z: number, d: ArrayLike<number>): Sight {
  const { bvh, kernel, casts, scene } = rays;
  sight.distance = Infinity;
  sight.back = false;
  let place = -1;
  if (kernel) {
    let behind = 0;
    for (let passed = 0; passed < MOST_PASSED; passed++) {
      place = kernel.closest(x, y, z, d[0], d[1], d[2], behind, 0);
      if (place < 0) return sight;
      behind = kernel.reached();
      if (casts[bvh.bvhMaterials[place]] === CAST_SOLID) break;
    }
    sight.distance = behind;
  } else {
    hit.triangle = -1;
    traceRay(bvh, x, y, z, d[0], d[1], d[2], Infinity, (at, _u, _v, distance, limit) => {
      if (casts[bvh.bvhMaterials[at]] !== CAST_SOLID) return limit;
      hit.triangle = at;
      return distance < limit ? (sight.distance = distance) : limit;
    });
    place = hit.triangle;
    if (place < 0) return sight;
  }
  const oneSided = scene.materials[bvh.bvhMaterials[place] * MATERIAL_STRIDE + M_DOUBLE_SIDED] !== 1;
  sight.back = oneSided && !seesFront(bvh, place, d[0], d[1], d[2]);
  return sight;
}
