/** Nearest hits of a wave. Twin: core/trace/paths/intersectPaths. */
import { ALPHA_MASK, M_ALPHA_MODE, materialOf } from './materialAt';
import { pathOf } from './pathOrder';
import { d, DIRECTION, HIT_DISTANCE, HIT_PLACE, HIT_TRIANGLE, HIT_U, HIT_V, ORIGIN, SCATTERED } from './pathRecord';
import { closest, meetTriangle, metDistance, metU, metV, reached } from './rays';
import { passesCutout } from './seeThrough';
import { triangleAt } from './shadowRay';

/** Nearest hits of the paths in flight. */
export function intersectPaths(inFlight: i32): void {
  for (let a = 0; a < inFlight; a++) {
    const p = pathOf(a);
    const ox = d(p + ORIGIN);
    const oy = d(p + ORIGIN + 8);
    const oz = d(p + ORIGIN + 16);
    const dx = d(p + DIRECTION);
    const dy = d(p + DIRECTION + 8);
    const dz = d(p + DIRECTION + 16);
    const byCamera = load<u8>(p, SCATTERED) == 0 ? 1 : 0;
    let behind: f64 = 0;
    store<i32>(p, -1, HIT_TRIANGLE);
    store<f64>(p, Infinity, HIT_DISTANCE);
    for (;;) {
      const place = closest(ox, oy, oz, dx, dy, dz, behind, Infinity, byCamera);
      if (place < 0) break;
      behind = reached();
      meetTriangle(place, ox, oy, oz, dx, dy, dz);
      // 32 bits may take a ray in that passes a hair outside
      const u = min<f64>(1, max<f64>(0, metU));
      const v = min<f64>(1 - u, max<f64>(0, metV));
      const t = triangleAt(place);
      if (load<f32>(materialOf(t), M_ALPHA_MODE) == ALPHA_MASK && !passesCutout(t, u, v)) continue;
      store<f64>(p, u, HIT_U);
      store<f64>(p, v, HIT_V);
      store<f64>(p, metDistance, HIT_DISTANCE);
      store<i32>(p, t, HIT_TRIANGLE);
      store<i32>(p, place, HIT_PLACE);
      break;
    }
  }
}
