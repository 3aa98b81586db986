/** What voxels say of the light that reaches a row of surfaces: irradiance between the eight around each place. */
import { add, all, mul } from './four';
import * as O from './layouts/voxelOrder';
import { asking, BOUNCE_SURE, COLUMN, fourOf, fours, NORMAL, POSITION } from './row';
import { surerBy, tellPlace } from './tell';
import { behind, cellOf, countOf, faceOf, levelOf, shareOf, strideOf } from './voxelGrid';

/** How sure the grid is of the place that was asked for last. */
let sure: f32 = 0;

/** Adds what the voxels know to the places of the row that are not sure yet. */
export function askVoxels(order: usize): void {
  const after = load<i32>(order, O.VOXELS_AFTER) != 0;
  for (let k = 0; k < fours; k++) {
    const four = fourOf(k);
    const ask = i32x4.bitmask(v128.and(asking(four), f32x4.lt(v128.load(four, BOUNCE_SURE), all(1))));
    for (let lane = 0; lane < 4; lane++) {
      if (((ask >> lane) & 1) == 0) continue;
      const a = four + ((<usize>lane) << 2);
      const light = irradianceAt(
        order,
        load<f32>(a, POSITION),
        load<f32>(a, POSITION + COLUMN),
        load<f32>(a, POSITION + 2 * COLUMN),
        load<f32>(a, NORMAL),
        load<f32>(a, NORMAL + COLUMN),
        load<f32>(a, NORMAL + 2 * COLUMN),
      );
      const now = surerBy(a, sure);
      if (now > load<f32>(a, BOUNCE_SURE)) tellPlace(a, light, 1, now, after);
    }
  }
}

/** The same for one place. @param to irradiance, rgb, and how sure it is */
export function askVoxelsAt(order: usize, x: f32, y: f32, z: f32, nx: f32, ny: f32, nz: f32, to: usize): void {
  v128.store(to, f32x4.replace_lane(irradianceAt(order, x, y, z, nx, ny, nz), 3, sure));
}

/**
 * Of each axis that the normal leans to the face on its side, as much as the square of its part: they add up to one. Voxels
 * that have no such face have no say.
 */
function irradianceAt(order: usize, x: f32, y: f32, z: f32, nx: f32, ny: f32, nz: f32): v128 {
  const level = levelOf(order, 0);
  const scale: f32 = <f32>1 / load<f32>(order, O.VOXELS_SIDE);
  const px = (x - load<f32>(order, O.VOXELS_FROM)) * scale;
  const py = (y - load<f32>(order, O.VOXELS_FROM + 4)) * scale;
  const pz = (z - load<f32>(order, O.VOXELS_FROM + 8)) * scale;
  const endX = <f32>countOf(level, 0);
  const endY = <f32>countOf(level, 1);
  const endZ = <f32>countOf(level, 2);
  const inside = min<f32>(min<f32>(min<f32>(px, endX - px), min<f32>(py, endY - py)), min<f32>(pz, endZ - pz));
  store<i32>(order, load<i32>(order, O.VOXELS_ASKED) + 1, O.VOXELS_ASKED);
  sure = 0;
  if (!(inside > 0)) {
    store<i32>(order, load<i32>(order, O.VOXELS_OUTSIDE) + 1, O.VOXELS_OUTSIDE);
    return all(0);
  }
  const ramp = load<f32>(order, O.VOXELS_RAMP);
  const knows: f32 = ramp > 0 ? min<f32>(1, inside / ramp) : 1;
  const bx = <i32>floor<f32>(px - <f32>0.5);
  const by = <i32>floor<f32>(py - <f32>0.5);
  const bz = <i32>floor<f32>(pz - <f32>0.5);
  const sx = px - <f32>0.5 - <f32>bx;
  const sy = py - <f32>0.5 - <f32>by;
  const sz = pz - <f32>0.5 - <f32>bz;
  const faceX = nx < 0 ? 1 : 0;
  const faceY = ny < 0 ? 3 : 2;
  const faceZ = nz < 0 ? 5 : 4;
  const corner = cellOf(level, bx, by, bz);
  const row = strideOf(level, 1);
  const plane = strideOf(level, 2);
  const found = <usize>load<u32>(order, O.VOXELS_LIT);
  let sumX = all(0);
  let sumY = all(0);
  let sumZ = all(0);
  for (let k = 0; k < 8; k++) {
    const cell = load<u32>(corner + behind(k, row, plane));
    if (cell == 0) continue;
    const share = shareOf(k, sx, sy, sz);
    if (((cell >>> faceX) & 1) == 1) sumX = add(sumX, tells(found, cell, faceX, share));
    if (((cell >>> faceY) & 1) == 1) sumY = add(sumY, tells(found, cell, faceY, share));
    if (((cell >>> faceZ) & 1) == 1) sumZ = add(sumZ, tells(found, cell, faceZ, share));
  }
  const light = add(add(meanOf(sumX, nx), meanOf(sumY, ny)), meanOf(sumZ, nz));
  const weight = f32x4.extract_lane(light, 3);
  if (!(weight > 0)) return all(0);
  sure = knows;
  return mul(light, all(1 / weight));
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function tells(found: usize, cell: u32, face: i32, share: f32): v128 {
  return mul(v128.load(found + (faceOf(cell, face) << 4)), all(share));
}

/** Mean of what voxels tell of an axis, as much of it as the normal leans there. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function meanOf(sum: v128, n: f32): v128 {
  const weight = f32x4.extract_lane(sum, 3);
  return weight > 0 ? mul(sum, all((n * n) / weight)) : all(0);
}
