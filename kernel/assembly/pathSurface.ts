/** The surface that a path has hit, in doubles. Twins: `surfaceAtHit` of core/trace/tracePaths and core/raster/surface. */
import {
  bend,
  bends,
  bentX,
  bentY,
  bentZ,
  blue,
  emitBlue,
  emitGreen,
  emitRed,
  green,
  lack,
  look,
  M_F0_R,
  M_F90,
  M_TRANSMISSION,
  materialOf,
  metallic,
  MIN_ALPHA,
  opacity,
  red,
  roughness as looked,
  widthOf,
} from './materialAt';
import { d, DIRECTION, FOOTPRINT, HIT_DISTANCE, HIT_PLACE, HIT_TRIANGLE, HIT_U, HIT_V, SPREAD } from './pathRecord';
import { packetAt } from './rays';
import { corner, f, normals, reflectanceTable, steady, two, whiteCorners } from './scenery';

/** Position, normal towards the viewer, true face towards the viewer, direction to the viewer. */
export let px: f64 = 0;
export let py: f64 = 0;
export let pz: f64 = 0;
export let nx: f64 = 0;
export let ny: f64 = 0;
export let nz: f64 = 0;
export let fx: f64 = 0;
export let fy: f64 = 0;
export let fz: f64 = 0;
export let vx: f64 = 0;
export let vy: f64 = 0;
export let vz: f64 = 0;
export let diffuseR: f64 = 0;
export let diffuseG: f64 = 0;
export let diffuseB: f64 = 0;
export let f0R: f64 = 0;
export let f0G: f64 = 0;
export let f0B: f64 = 0;
export let f90: f64 = 0;
export let roughness: f64 = 0;
export let alpha: f64 = 0;
export let emissionR: f64 = 0;
export let emissionG: f64 = 0;
export let emissionB: f64 = 0;
export let opaque: f64 = 0;
export let transmission: f64 = 0;
export let baseR: f64 = 0;
export let baseG: f64 = 0;
export let baseB: f64 = 0;
/** Share of light from all around that is mirrored, and what its lobe falls short of that. */
export let mirroredR: f64 = 0;
export let mirroredG: f64 = 0;
export let mirroredB: f64 = 0;
export let boostR: f64 = 0;
export let boostG: f64 = 0;
export let boostB: f64 = 0;
/** The material, and whether its front is seen. */
export let material: usize = 0;
export let front: bool = false;

/** Makes a mirror at least so wide. */
export function blunt(width: f64): void {
  alpha = width;
}

/** Takes up the surface where a path has hit. @param p its record */
export function surfaceOf(p: usize): void {
  const t = load<i32>(p, HIT_TRIANGLE);
  const i0 = corner(t, 0);
  const i1 = corner(t, 1);
  const i2 = corner(t, 2);
  // from its packet, which has just been read, and not from the vertices
  const at = packetAt(load<i32>(p, HIT_PLACE));
  const b1 = d(p + HIT_U);
  const b2 = d(p + HIT_V);
  const b0 = 1 - b1 - b2;
  const ax0 = f(at);
  const ay0 = f(at + 16);
  const az0 = f(at + 32);
  const bx0 = f(at + 48);
  const by0 = f(at + 64);
  const bz0 = f(at + 80);
  const cx0 = f(at + 96);
  const cy0 = f(at + 112);
  const cz0 = f(at + 128);
  px = ax0 * b0 + bx0 * b1 + cx0 * b2;
  py = ay0 * b0 + by0 * b1 + cy0 * b2;
  pz = az0 * b0 + bz0 * b1 + cz0 * b2;
  const ux = bx0 - ax0;
  const uy = by0 - ay0;
  const uz = bz0 - az0;
  const wx = cx0 - ax0;
  const wy = cy0 - ay0;
  const wz = cz0 - az0;
  let x = uy * wz - uz * wy;
  let y = uz * wx - ux * wz;
  let z = ux * wy - uy * wx;
  const dx = d(p + DIRECTION);
  const dy = d(p + DIRECTION + 8);
  const dz = d(p + DIRECTION + 16);
  vx = -dx;
  vy = -dy;
  vz = -dz;
  front = dx * x + dy * y + dz * z < 0;
  const side: f64 = front ? 1 : -1;
  // slopes of the barycentrics along the footprint's short side, across the ray, and along its long one
  const width = d(p + FOOTPRINT) + d(p + SPREAD) * d(p + HIT_DISTANCE);
  let ax = dy * z - dz * y;
  let ay = dz * x - dx * z;
  let az = dx * y - dy * x;
  const al = sqrt<f64>(ax * ax + ay * ay + az * az);
  const fl = sqrt<f64>(x * x + y * y + z * z);
  if (al > 1e-9 * fl) {
    ax /= al;
    ay /= al;
    az /= al;
  } else {
    const ul = sqrt<f64>(ux * ux + uy * uy + uz * uz);
    ax = ux / ul;
    ay = uy / ul;
    az = uz / ul;
  }
  x /= fl;
  y /= fl;
  z /= fl;
  fx = x * side;
  fy = y * side;
  fz = z * side;
  const long = width / max<f64>(0.05, abs<f64>(dx * x + dy * y + dz * z));
  const bx = ay * z - az * y;
  const by = az * x - ax * z;
  const bz = ax * y - ay * x;
  // gradients in the plane: b1 grows along v × n, b2 along n × u, over twice the area
  const g1x = (wy * z - wz * y) / fl;
  const g1y = (wz * x - wx * z) / fl;
  const g1z = (wx * y - wy * x) / fl;
  const g2x = (y * uz - z * uy) / fl;
  const g2y = (z * ux - x * uz) / fl;
  const g2z = (x * uy - y * ux) / fl;
  const n0 = normals + i0 * 12;
  const n1 = normals + i1 * 12;
  const n2 = normals + i2 * 12;
  nx = (f(n0) * b0 + f(n1) * b1 + f(n2) * b2) * side;
  ny = (f(n0 + 4) * b0 + f(n1 + 4) * b1 + f(n2 + 4) * b2) * side;
  nz = (f(n0 + 8) * b0 + f(n1 + 8) * b1 + f(n2 + 8) * b2) * side;
  let length = sqrt<f64>(nx * nx + ny * ny + nz * nz);
  if (!(length > 0)) length = 1;
  nx /= length;
  ny /= length;
  nz /= length;
  material = materialOf(t);
  look(
    material,
    i0,
    i1,
    i2,
    whiteCorners(t),
    b1,
    b2,
    (g1x * ax + g1y * ay + g1z * az) * width,
    (g2x * ax + g2y * ay + g2z * az) * width,
    (g1x * bx + g1y * by + g1z * bz) * long,
    (g2x * bx + g2y * by + g2z * bz) * long,
  );
  if (bends) {
    bend(i0, i1, i2, b1, b2, nx, ny, nz, side);
    nx = bentX;
    ny = bentY;
    nz = bentZ;
  }
  takeMaterial(holdNormal());
}

/**
 * Keeps the normal just on the viewer's side: a bent one may face away at grazing angles, and highlights turn black.
 * @returns its cosine to the view
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function holdNormal(): f64 {
  const facing = nx * vx + ny * vy + nz * vz;
  if (facing >= 0.02) return facing;
  const push = 0.02 - facing;
  nx += vx * push;
  ny += vy * push;
  nz += vz * push;
  const length = sqrt<f64>(nx * nx + ny * ny + nz * nz);
  nx /= length;
  ny /= length;
  nz /= length;
  return 0.02;
}

/** Takes up what was looked at. @param facing cosine of the normal to the view */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function takeMaterial(facing: f64): void {
  const m = material;
  const matte = 1 - metallic;
  transmission = f(m + M_TRANSMISSION) * matte;
  const solid = matte - transmission;
  baseR = red;
  baseG = green;
  baseB = blue;
  diffuseR = red * solid;
  diffuseG = green * solid;
  diffuseB = blue * solid;
  f0R = f(m + M_F0_R) * matte + red * metallic;
  f0G = f(m + M_F0_R + 4) * matte + green * metallic;
  f0B = f(m + M_F0_R + 8) * matte + blue * metallic;
  f90 = f(m + M_F90) * matte + metallic;
  emissionR = emitRed;
  emissionG = emitGreen;
  emissionB = emitBlue;
  opaque = opacity;
  const width = widthOf(looked, lack);
  roughness = steady && lack > 0 ? sqrt<f64>(width) : looked;
  alpha = max<f64>(width, MIN_ALPHA);
  const both = reflectance(roughness, facing < 1 ? facing : 1);
  const scale = f64x2.extract_lane(both, 0);
  const offset = f64x2.extract_lane(both, 1);
  const lost = 1 / (scale + offset) - 1;
  const edge = offset * f90;
  boostR = 1 + f0R * lost;
  boostG = 1 + f0G * lost;
  boostB = 1 + f0B * lost;
  mirroredR = min<f64>(1, (f0R * scale + edge) * boostR);
  mirroredG = min<f64>(1, (f0G * scale + edge) * boostG);
  mirroredB = min<f64>(1, (f0B * scale + edge) * boostB);
}

/** Scale and offset of the table of `environmentReflectance` at a roughness and cosine. */
export function reflectance(rough: f64, cosine: f64): v128 {
  const y = min<f64>(32 - 1.001, rough * 31);
  const x = min<f64>(32 - 1.001, sqrt<f64>(cosine) * 31);
  const y0 = <i32>y;
  const x0 = <i32>x;
  const share = f64x2.splat(x - <f64>x0);
  const p = reflectanceTable + ((<usize>(y0 * 32 + x0)) << 3);
  const a = two(p);
  const c = two(p + 256);
  const top = f64x2.add(a, f64x2.mul(f64x2.sub(two(p + 8), a), share));
  const bottom = f64x2.add(c, f64x2.mul(f64x2.sub(two(p + 264), c), share));
  return f64x2.add(top, f64x2.mul(f64x2.sub(bottom, top), f64x2.splat(y - <f64>y0)));
}
