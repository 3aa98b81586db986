/** How a surface scatters light, and in which direction a path goes on. Twin: core/trace/scatter. */
import { cosine, PI, sine, turn } from './elementary';
import { luminance } from './pathRecord';
import {
  alpha,
  baseB,
  baseG,
  baseR,
  boostB,
  boostG,
  boostR,
  diffuseB,
  diffuseG,
  diffuseR,
  f0B,
  f0G,
  f0R,
  f90,
  fx,
  fy,
  fz,
  mirroredB,
  mirroredG,
  mirroredR,
  nx,
  ny,
  nz,
  transmission,
  vx,
  vy,
  vz,
} from './pathSurface';

/** What a ray became. */
export const WENT_NOWHERE: i32 = 0;
export const WENT_REFLECTED: i32 = 1;
export const WENT_STRAIGHT: i32 = 2;
export const WENT_THROUGH: i32 = 3;

/** The last scattering: matte and mirrored part (each times the cosine), density per steradian, direction. */
export let matteR: f64 = 0;
export let matteG: f64 = 0;
export let matteB: f64 = 0;
export let glossR: f64 = 0;
export let glossG: f64 = 0;
export let glossB: f64 = 0;
export let scatterDensity: f64 = 0;
export let goX: f64 = 0;
export let goY: f64 = 0;
export let goZ: f64 = 0;
/** An emitter in that direction would have been asked with that density. */
export let asked: bool = false;

/** Of glass: it has a thickness, its index, whether the ray comes from outside, lets light go on as it came. */
let solid: bool = false;
let ior: f64 = 1.5;
let entering: bool = true;
let straight: bool = false;
/** Factor for light that its facets pass on among themselves: see core/trace/glassEnergy. */
let glassFactor: f64 = 1;
/** Chance to follow the matte part, and luminance of what is let through. */
let matteChance: f64 = 0;
let throughLight: f64 = 0;

/** Two directions across another. */
export let acrossX: f64 = 0;
export let acrossY: f64 = 0;
export let acrossZ: f64 = 0;
export let besideX: f64 = 0;
export let besideY: f64 = 0;
export let besideZ: f64 = 0;

/** A facet's normal in the frame of the surface's. */
let facetX: f64 = 0;
let facetY: f64 = 0;
let facetZ: f64 = 0;

/** Takes up the surface and how it is glass: to be called before anything below. */
export function takeGlass(isSolid: bool, index: f64, isEntering: bool, isStraight: bool, factor: f64): void {
  solid = isSolid;
  ior = index;
  entering = isEntering;
  straight = isStraight;
  glassFactor = factor;
  throughLight = transmission * luminance(baseR, baseG, baseB);
  const matte = luminance(diffuseR * (1 - mirroredR), diffuseG * (1 - mirroredG), diffuseB * (1 - mirroredB));
  matteChance = matte == 0 ? 0 : matte / (matte + luminance(mirroredR, mirroredG, mirroredB) + throughLight);
}

/** Two unit vectors perpendicular to a unit vector (Duff et al. 2017, Building an Orthonormal Basis, Revisited). */
export function perpendiculars(x: f64, y: f64, z: f64): void {
  const s: f64 = z >= 0 ? 1 : -1;
  const a = -1 / (s + z);
  const b = x * y * a;
  acrossX = 1 + s * x * x * a;
  acrossY = s * b;
  acrossZ = -s * x;
  besideX = b;
  besideY = s + y * y * a;
  besideZ = -y;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function schlickWeight(c: f64): f64 {
  const m = min<f64>(1, max<f64>(0, 1 - c));
  const m2 = m * m;
  return m2 * m2 * m;
}

/** Schlick's weight at a facet; from inside glass by the angle outside it, total beyond the critical one. */
function facetWeight(vh: f64): f64 {
  if (entering || !solid) return schlickWeight(vh);
  const sin2 = (1 - vh * vh) * ior * ior;
  return sin2 >= 1 ? 1 : schlickWeight(sqrt<f64>(1 - sin2));
}

/** Chance that a facet mirrors rather than lets through. @param w of `facetWeight` */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function mirrorChance(w: f64): f64 {
  if (throughLight == 0) return 1;
  const share = luminance(f0R + (f90 - f0R) * w, f0G + (f90 - f0G) * w, f0B + (f90 - f0B) * w);
  return share / (share + (1 - share) * throughLight);
}

/** Share of the visible facets' light that leaves unshadowed (Heitz 2014). */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function shadowedShare(nl: f64, nv: f64): f64 {
  const a2 = alpha * alpha;
  const toEye = sqrt<f64>((nv - nv * a2) * nv + a2);
  const toLight = sqrt<f64>((nl - nl * a2) * nl + a2);
  return (nl * (nv + toEye)) / (nl * toEye + nv * toLight);
}

/**
 * Scattering from a given direction towards the eye, on the outside of the surface.
 * @returns false when none arrives
 */
export function evaluateScatter(lx: f64, ly: f64, lz: f64): bool {
  if (fx * lx + fy * ly + fz * lz <= 0) return false;
  return evaluateLobes(lx, ly, lz);
}

/** The same by the bent normal alone, whatever side of the true surface the direction is on. */
function evaluateLobes(lx: f64, ly: f64, lz: f64): bool {
  const nl = nx * lx + ny * ly + nz * lz;
  if (nl <= 0) return false;
  const nv = nx * vx + ny * vy + nz * vz;
  let hx = lx + vx;
  let hy = ly + vy;
  let hz = lz + vz;
  const hl = 1 / sqrt<f64>(hx * hx + hy * hy + hz * hz);
  hx *= hl;
  hy *= hl;
  hz *= hl;
  const nh = min<f64>(1, nx * hx + ny * hy + nz * hz);
  const w = facetWeight(vx * hx + vy * hy + vz * hz);
  // GGX with height-correlated Smith visibility (Heitz 2014), and the density of its visible normals
  const a2 = alpha * alpha;
  const flat = (nh * a2 - nh) * nh + 1;
  const facets = a2 / (PI * flat * flat);
  const toEye = sqrt<f64>((nv - nv * a2) * nv + a2);
  const toLight = sqrt<f64>((nl - nl * a2) * nl + a2);
  const lobe = (facets * 0.5 * nl) / (nl * toEye + nv * toLight);
  const even = nl / PI;
  matteR = diffuseR * (1 - mirroredR) * even;
  matteG = diffuseG * (1 - mirroredG) * even;
  matteB = diffuseB * (1 - mirroredB) * even;
  const isGlass = transmission > 0;
  glossR = (f0R + (f90 - f0R) * w) * (isGlass ? glassFactor : boostR) * lobe;
  glossG = (f0G + (f90 - f0G) * w) * (isGlass ? glassFactor : boostG) * lobe;
  glossB = (f0B + (f90 - f0B) * w) * (isGlass ? glassFactor : boostB) * lobe;
  scatterDensity = matteChance * even + ((1 - matteChance) * mirrorChance(w) * facets) / (2 * (nv + toEye));
  return true;
}

/** Visible normal of a facet (Heitz 2018). @param x, y, z direction to the eye in the frame of the surface's normal */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function visibleNormal(x: f64, y: f64, z: f64, u: f64, v: f64): void {
  turn(2 * PI * v);
  const r = sqrt<f64>(u);
  x *= alpha;
  y *= alpha;
  const l = 1 / sqrt<f64>(x * x + y * y + z * z);
  x *= l;
  y *= l;
  z *= l;
  const flat = x * x + y * y;
  const aslant = flat > 1e-14;
  const k: f64 = aslant ? 1 / sqrt<f64>(flat) : 0;
  const ax: f64 = aslant ? -y * k : 1;
  const ay: f64 = aslant ? x * k : 0;
  const bx = -z * ay;
  const by = z * ax;
  const bz = x * ay - y * ax;
  const a = r * cosine;
  const s = 0.5 * (1 + z);
  const b = (1 - s) * sqrt<f64>(max<f64>(0, 1 - a * a)) + s * r * sine;
  const c = sqrt<f64>(max<f64>(0, 1 - a * a - b * b));
  const mx = (a * ax + b * bx + c * x) * alpha;
  const my = (a * ay + b * by + c * y) * alpha;
  const mz = max<f64>(1e-6, b * bz + c * z);
  const n = 1 / sqrt<f64>(mx * mx + my * my + mz * mz);
  facetX = mx * n;
  facetY = my * n;
  facetZ = mz * n;
}

/**
 * Draws the direction in which a path goes on and writes the scattering that way.
 * For WENT_STRAIGHT and WENT_THROUGH the mirrored part is the factor on the light already, and there is no density.
 */
export function sampleScatter(pick: f64, u: f64, v: f64): i32 {
  perpendiculars(nx, ny, nz);
  let lx: f64;
  let ly: f64;
  let lz: f64;
  if (pick < matteChance) {
    turn(2 * PI * v);
    const r = sqrt<f64>(u);
    const a = r * cosine;
    const b = r * sine;
    const c = sqrt<f64>(max<f64>(0, 1 - u));
    lx = acrossX * a + besideX * b + nx * c;
    ly = acrossY * a + besideY * b + ny * c;
    lz = acrossZ * a + besideZ * b + nz * c;
  } else {
    const nv = nx * vx + ny * vy + nz * vz;
    visibleNormal(acrossX * vx + acrossY * vy + acrossZ * vz, besideX * vx + besideY * vy + besideZ * vz, nv, u, v);
    const hx = acrossX * facetX + besideX * facetY + nx * facetZ;
    const hy = acrossY * facetX + besideY * facetY + ny * facetZ;
    const hz = acrossZ * facetX + besideZ * facetY + nz * facetZ;
    const vh = vx * hx + vy * hy + vz * hz;
    const w = facetWeight(vh);
    const mirror = mirrorChance(w);
    lx = 2 * vh * hx - vx;
    ly = 2 * vh * hy - vy;
    lz = 2 * vh * hz - vz;
    if ((pick - matteChance) / (1 - matteChance) >= mirror)
      return passOn(w, (1 - matteChance) * (1 - mirror), nv, vh, hx, hy, hz, lx, ly, lz);
  }
  if (!evaluateLobes(lx, ly, lz) || !(scatterDensity > 0)) return WENT_NOWHERE;
  // a bent normal sends light into the surface: it leaves on the other side of the face, or the place would turn black
  const below = fx * lx + fy * ly + fz * lz;
  const back = below < 0 ? 2 * below : 0;
  asked = below > 0;
  goX = lx - back * fx;
  goY = ly - back * fy;
  goZ = lz - back * fz;
  return WENT_REFLECTED;
}

/** Light let through at a facet (hx, hy, hz); (lx, ly, lz) is where it would have been mirrored. */
function passOn(w: f64, chance: f64, nv: f64, vh: f64, hx: f64, hy: f64, hz: f64, lx: f64, ly: f64, lz: f64): i32 {
  let kind = WENT_THROUGH;
  let x: f64;
  let y: f64;
  let z: f64;
  let share: f64 = 1;
  let mirrored = w;
  if (solid) {
    const eta = entering ? 1 / ior : ior;
    const cosT2 = 1 - eta * eta * (1 - vh * vh);
    if (cosT2 <= 0) return WENT_NOWHERE;
    const k = eta * vh - sqrt<f64>(cosT2);
    x = k * hx - eta * vx;
    y = k * hy - eta * vy;
    z = k * hz - eta * vz;
    const below = -(x * nx + y * ny + z * nz);
    if (below <= 0) return WENT_NOWHERE;
    share = shadowedShare(below, nv);
  } else if (straight) {
    kind = WENT_STRAIGHT;
    // by the pane itself: its mirror may have been made blunt, but nothing that is seen through it
    mirrored = schlickWeight(nv);
    x = -vx;
    y = -vy;
    z = -vz;
  } else {
    // both faces of a rough sheet together: the mirrored lobe, on the other side
    const nl = lx * nx + ly * ny + lz * nz;
    if (nl <= 0) return WENT_NOWHERE;
    x = lx - 2 * nl * nx;
    y = ly - 2 * nl * ny;
    z = lz - 2 * nl * nz;
    share = shadowedShare(nl, nv);
  }
  // on the other side of the true surface, however the normal is bent
  if (x * fx + y * fy + z * fz >= 0) return WENT_NOWHERE;
  goX = x;
  goY = y;
  goZ = z;
  scatterDensity = 0;
  const factor = (transmission * share * glassFactor) / chance;
  matteR = matteG = matteB = 0;
  glossR = (1 - (f0R + (f90 - f0R) * mirrored)) * baseR * factor;
  glossG = (1 - (f0G + (f90 - f0G) * mirrored)) * baseG * factor;
  glossB = (1 - (f0B + (f90 - f0B) * mirrored)) * baseB * factor;
  return kind;
}
