/** The part that all records of a light for the compiled loops have alike. */
import * as S from '@daxel/kernel/generated/layouts/lightShape';
import type { FrameLight } from './frameLight';

/** @param at where in `to` it begins @param from world position that places are told from */
export function writeLightShape(
  to: Float32Array | Float64Array,
  at: number,
  l: FrameLight,
  from: readonly [number, number, number],
): void {
  to.set([l.px - from[0], l.py - from[1], l.pz - from[2]], at + S.SHAPE_POINT);
  to.set([l.dx, l.dy, l.dz], at + S.SHAPE_SHINES);
  to.set([l.r, l.g, l.b], at + S.SHAPE_POWER);
  to[at + S.SHAPE_RANGE] = l.range;
  to[at + S.SHAPE_RADIUS] = l.radius;
  to[at + S.SHAPE_DISC_TAN] = l.discTan;
  to.set([l.ux, l.uy, l.uz], at + S.SHAPE_SIDE_U);
  to.set([l.vx, l.vy, l.vz], at + S.SHAPE_SIDE_V);
  to[at + S.SHAPE_AREA] = l.area;
}
