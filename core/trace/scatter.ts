/**
 * How a surface scatters: a matte part (Lambert), a mirroring coat (GGX with visible normals, Heitz 2018; energy of
 * multiple scattering, Turquin 2019), and light let through, by thin sheets unbent and by solid glass refracted
 * (Walter et al. 2007, Microfacet Models for Refraction through Rough Surfaces). The same numbers as the rasteriser's
 * shading in `raster/lighting`, so that methods differ in transport alone.
 */
import { perpendiculars } from '../light/sampleLight';
import { luminance } from '../math/color';
import { cos, sin } from '../math/exact';
import { ggx, schlickWeight, shadowedShare, visibleDensity, visibleNormal } from '../raster/reflectance';
import {
  S_ALPHA,
  S_BASE,
  S_BOOST,
  S_DIFFUSE,
  S_F0,
  S_F90,
  S_FACE,
  S_MIRRORED,
  S_NORMAL,
  S_TRANSMISSION,
  S_VIEW,
} from '../raster/surface';

/** Two directions across another. */
const across = new Float64Array(6);

/** What a ray became. */
export const WENT_NOWHERE = 0;
export const WENT_REFLECTED = 1;
/** Through a thin sheet without turning: density of the last scattering still holds. */
export const WENT_STRAIGHT = 2;
/** Through rough or solid glass. */
export const WENT_THROUGH = 3;

/** Layout of a scattering: matte part rgb, mirrored part rgb (each times the cosine), density per steradian, direction. */
export const R_MATTE = 0;
export const R_GLOSS = 3;
export const R_DENSITY = 6;
export const R_DIRECTION = 7;
/** 1 where an emitter in that direction would have been asked with `R_DENSITY`, 0 where none could be. */
export const R_ASKED = 10;
export const SCATTER_SIZE = 11;

/** Thin sheets smoother than this let light straight through. */
export const STRAIGHT_ALPHA = 0.01;

export interface Glass {
  solid: boolean;
  ior: number;
  /** The ray comes from outside. */
  entering: boolean;
  /** Thin and smooth: light goes on as it came. */
  straight: boolean;
  /** See `glassBoost`; 1 for what is no glass. */
  boost: number;
}

const h = new Float64Array(3);

/** Chance to follow the matte part. */
function matteChance(s: Float64Array): number {
  const m = S_MIRRORED;
  const matte = luminance(
    s[S_DIFFUSE] * (1 - s[m]),
    s[S_DIFFUSE + 1] * (1 - s[m + 1]),
    s[S_DIFFUSE + 2] * (1 - s[m + 2]),
  );
  if (matte === 0) return 0;
  const through = s[S_TRANSMISSION] * luminance(s[S_BASE], s[S_BASE + 1], s[S_BASE + 2]);
  return matte / (matte + luminance(s[m], s[m + 1], s[m + 2]) + through);
}

/** Chance that a facet mirrors rather than lets through. @param w of `facetWeight` */
function mirrorChance(s: Float64Array, w: number): number {
  const through = s[S_TRANSMISSION] * luminance(s[S_BASE], s[S_BASE + 1], s[S_BASE + 2]);
  if (through === 0) return 1;
  const f = luminance(fresnel(s, 0, w), fresnel(s, 1, w), fresnel(s, 2, w));
  return f / (f + (1 - f) * through);
}

function fresnel(s: Float64Array, c: number, w: number): number {
  return s[S_F0 + c] + (s[S_F90] - s[S_F0 + c]) * w;
}

/** Schlick's weight at a facet; from inside glass by the angle outside it, total beyond the critical one. */
function facetWeight(vh: number, glass: Glass): number {
  if (glass.entering || !glass.solid) return schlickWeight(vh);
  const sin2 = (1 - vh * vh) * glass.ior * glass.ior;
  return sin2 >= 1 ? 1 : schlickWeight(Math.sqrt(1 - sin2));
}

/**
 * Scattering from a given direction towards the eye, on the outside of the surface.
 * @returns false when none arrives
 */
export function evaluateScatter(
  s: Float64Array,
  glass: Glass,
  lx: number,
  ly: number,
  lz: number,
  out: Float64Array,
): boolean {
  if (s[S_FACE] * lx + s[S_FACE + 1] * ly + s[S_FACE + 2] * lz <= 0) return false;
  return evaluateLobes(s, glass, lx, ly, lz, out);
}

/** The same by the bent normal alone, whatever side of the true surface the direction is on. */
function evaluateLobes(s: Float64Array, glass: Glass, lx: number, ly: number, lz: number, out: Float64Array): boolean {
  const nl = s[S_NORMAL] * lx + s[S_NORMAL + 1] * ly + s[S_NORMAL + 2] * lz;
  if (nl <= 0) return false;
  const vx = s[S_VIEW];
  const vy = s[S_VIEW + 1];
  const vz = s[S_VIEW + 2];
  const nv = s[S_NORMAL] * vx + s[S_NORMAL + 1] * vy + s[S_NORMAL + 2] * vz;
  let hx = lx + vx;
  let hy = ly + vy;
  let hz = lz + vz;
  const hl = 1 / Math.sqrt(hx * hx + hy * hy + hz * hz);
  hx *= hl;
  hy *= hl;
  hz *= hl;
  const nh = Math.min(1, s[S_NORMAL] * hx + s[S_NORMAL + 1] * hy + s[S_NORMAL + 2] * hz);
  const vh = vx * hx + vy * hy + vz * hz;
  const w = facetWeight(vh, glass);
  const lobe = ggx(s[S_ALPHA], nl, nv, nh) * nl;
  for (let c = 0; c < 3; c++) {
    out[R_MATTE + c] = (s[S_DIFFUSE + c] * (1 - s[S_MIRRORED + c]) * nl) / Math.PI;
    out[R_GLOSS + c] = fresnel(s, c, w) * (s[S_TRANSMISSION] > 0 ? glass.boost : s[S_BOOST + c]) * lobe;
  }
  const matte = matteChance(s);
  out[R_DENSITY] = (matte * nl) / Math.PI + (1 - matte) * mirrorChance(s, w) * visibleDensity(s[S_ALPHA], nv, nh);
  return true;
}

/**
 * Draws the direction in which a path goes on and writes the scattering that way.
 * For WENT_STRAIGHT and WENT_THROUGH `R_GLOSS` is the factor on the light already, and there is no density.
 * @param pick, u, v numbers in [0, 1)
 */
export function sampleScatter(
  s: Float64Array,
  glass: Glass,
  pick: number,
  u: number,
  v: number,
  out: Float64Array,
): number {
  const nx = s[S_NORMAL];
  const ny = s[S_NORMAL + 1];
  const nz = s[S_NORMAL + 2];
  perpendiculars(nx, ny, nz, across);
  const ax = across[0];
  const ay = across[1];
  const az = across[2];
  const bx = across[3];
  const by = across[4];
  const bz = across[5];
  const matte = matteChance(s);
  let lx: number;
  let ly: number;
  let lz: number;
  if (pick < matte) {
    const r = Math.sqrt(u);
    const phi = 2 * Math.PI * v;
    const a = r * cos(phi);
    const b = r * sin(phi);
    const c = Math.sqrt(Math.max(0, 1 - u));
    lx = ax * a + bx * b + nx * c;
    ly = ay * a + by * b + ny * c;
    lz = az * a + bz * b + nz * c;
  } else {
    const vx = s[S_VIEW];
    const vy = s[S_VIEW + 1];
    const vz = s[S_VIEW + 2];
    const nv = nx * vx + ny * vy + nz * vz;
    const alpha = s[S_ALPHA];
    visibleNormal(alpha, ax * vx + ay * vy + az * vz, bx * vx + by * vy + bz * vz, nv, u, v, h);
    const hx = ax * h[0] + bx * h[1] + nx * h[2];
    const hy = ay * h[0] + by * h[1] + ny * h[2];
    const hz = az * h[0] + bz * h[1] + nz * h[2];
    const vh = vx * hx + vy * hy + vz * hz;
    const w = facetWeight(vh, glass);
    const mirror = mirrorChance(s, w);
    lx = 2 * vh * hx - vx;
    ly = 2 * vh * hy - vy;
    lz = 2 * vh * hz - vz;
    if ((pick - matte) / (1 - matte) >= mirror)
      return passOn(s, glass, w, (1 - matte) * (1 - mirror), nv, vh, hx, hy, hz, lx, ly, lz, out);
  }
  if (!evaluateLobes(s, glass, lx, ly, lz, out) || !(out[R_DENSITY] > 0)) return WENT_NOWHERE;
  // a bent normal sends light into the surface: it leaves on the other side of the face, or the place would turn black
  const below = s[S_FACE] * lx + s[S_FACE + 1] * ly + s[S_FACE + 2] * lz;
  const turn = below < 0 ? 2 * below : 0;
  out[R_ASKED] = below > 0 ? 1 : 0;
  out[R_DIRECTION] = lx - turn * s[S_FACE];
  out[R_DIRECTION + 1] = ly - turn * s[S_FACE + 1];
  out[R_DIRECTION + 2] = lz - turn * s[S_FACE + 2];
  return WENT_REFLECTED;
}

/** Light let through at a facet (hx, hy, hz); (lx, ly, lz) is where it would have been mirrored. */
function passOn(
  s: Float64Array,
  glass: Glass,
  w: number,
  chance: number,
  nv: number,
  vh: number,
  hx: number,
  hy: number,
  hz: number,
  lx: number,
  ly: number,
  lz: number,
  out: Float64Array,
): number {
  const alpha = s[S_ALPHA];
  const nx = s[S_NORMAL];
  const ny = s[S_NORMAL + 1];
  const nz = s[S_NORMAL + 2];
  let kind = WENT_THROUGH;
  let x: number;
  let y: number;
  let z: number;
  let share = 1;
  let mirrored = w;
  if (glass.solid) {
    const eta = glass.entering ? 1 / glass.ior : glass.ior;
    const cosT2 = 1 - eta * eta * (1 - vh * vh);
    if (cosT2 <= 0) return WENT_NOWHERE;
    const k = eta * vh - Math.sqrt(cosT2);
    x = k * hx - eta * s[S_VIEW];
    y = k * hy - eta * s[S_VIEW + 1];
    z = k * hz - eta * s[S_VIEW + 2];
    const below = -(x * nx + y * ny + z * nz);
    if (below <= 0) return WENT_NOWHERE;
    share = shadowedShare(alpha, below, nv);
  } else if (glass.straight) {
    kind = WENT_STRAIGHT;
    // by the pane itself: its mirror may have been made blunt, but nothing that is seen through it
    mirrored = schlickWeight(nv);
    x = -s[S_VIEW];
    y = -s[S_VIEW + 1];
    z = -s[S_VIEW + 2];
  } else {
    // both faces of a rough sheet together: the mirrored lobe, on the other side
    const nl = lx * nx + ly * ny + lz * nz;
    if (nl <= 0) return WENT_NOWHERE;
    x = lx - 2 * nl * nx;
    y = ly - 2 * nl * ny;
    z = lz - 2 * nl * nz;
    share = shadowedShare(alpha, nl, nv);
  }
  // on the other side of the true surface, however the normal is bent
  if (x * s[S_FACE] + y * s[S_FACE + 1] + z * s[S_FACE + 2] >= 0) return WENT_NOWHERE;
  out[R_DIRECTION] = x;
  out[R_DIRECTION + 1] = y;
  out[R_DIRECTION + 2] = z;
  out[R_DENSITY] = 0;
  for (let c = 0; c < 3; c++) {
    out[R_MATTE + c] = 0;
    out[R_GLOSS + c] =
      ((1 - fresnel(s, c, mirrored)) * s[S_TRANSMISSION] * s[S_BASE + c] * share * glass.boost) / chance;
  }
  return kind;
}
