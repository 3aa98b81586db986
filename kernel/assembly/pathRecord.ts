/** How paths in flight, their shadow rays and the lights they ask lie in the memory, bytes: see core/trace/pathKernel. */

/** A path: three doubles each for points, directions and colours. */
export const ORIGIN: usize = 0;
export const DIRECTION: usize = 24;
export const CARRIED: usize = 48;
/** Where the last scattering was, and with what density its direction was drawn; 0: no emitter was asked there. */
export const LAST: usize = 72;
export const DENSITY: usize = 96;
/** Share of the first scattering that was matte, per colour. */
export const SPLIT: usize = 104;
/** Factor on the surroundings by what the last scattering was. */
export const SKY_USE: usize = 128;
/** Absorption of the glass the ray is in, per metre. */
export const INSIDE: usize = 152;
export const FOOTPRINT: usize = 176;
export const SPREAD: usize = 184;
/** What the ray met: barycentrics, distance, triangle and place. */
export const HIT_U: usize = 192;
export const HIT_V: usize = 200;
export const HIT_DISTANCE: usize = 208;
export const HIT_TRIANGLE: usize = 216;
export const HIT_PLACE: usize = 220;
export const PIXEL: usize = 224;
/** Scatterings so far: all, matte, glossy; faces of glass crossed. */
export const SCATTERED: usize = 228;
export const MATTE_COUNT: usize = 229;
export const GLOSS_COUNT: usize = 230;
export const THROUGH_COUNT: usize = 231;
/** Panes lie between the last scattering and the ray's origin. */
export const CROSSED: usize = 232;
/** Light beyond the last glass was gathered through it in a straight line already. */
export const GATHERED: usize = 233;
/** The path may scatter no more: it only learns what light it meets. */
export const ENDING: usize = 234;
/** Radiance it carries home: the four layers, then direct light that would arrive, that does, and what the clamp took. */
export const HOME: usize = 240;
export const HOME_BOUNCE: usize = HOME + 24;
export const HOME_REFLECTION: usize = HOME + 48;
export const HOME_EMISSION: usize = HOME + 72;
export const HOME_LIGHT: usize = HOME + 96;
export const HOME_LIT: usize = HOME + 104;
export const HOME_CLAMPED: usize = HOME + 112;
/** Colour and normal of the first surface that is not see-through. */
export const SEEN: usize = 360;
export const PATH_BYTES: usize = 448;

/** A shadow ray: place, its face, direction, length, then what it brings home and how. */
export const FROM: usize = 0;
export const FROM_FACE: usize = 24;
export const TO: usize = 48;
export const LENGTH: usize = 72;
export const BRINGS_MATTE: usize = 80;
export const BRINGS_GLOSS: usize = 104;
export const BRINGS_SPLIT: usize = 128;
export const OF_PATH: usize = 152;
/** It goes to a light from the first surface. */
export const TO_LIGHT: usize = 156;
export const DEPTH_OF_PATH: usize = 157;
export const SHADOW_BYTES: usize = 160;

/** A light, doubles. */
export const L_KIND: usize = 0;
export const L_CASTS: usize = 8;
export const L_ROUND: usize = 16;
export const L_FACING: usize = 24;
export const L_POINT: usize = 32;
export const L_SHINES: usize = 56;
export const L_POWER: usize = 80;
export const L_RANGE: usize = 104;
export const L_RADIUS: usize = 112;
export const L_DISC_TAN: usize = 120;
export const L_SIDE_U: usize = 128;
export const L_SIDE_V: usize = 152;
export const L_AREA: usize = 176;
export const L_SPOT_SCALE: usize = 184;
export const L_SPOT_OFFSET: usize = 192;
/** Luminance of its power. */
export const L_STRENGTH: usize = 200;
/** Rays can meet it. */
export const L_EXTENT: usize = 208;
export const L_BYTES: usize = 216;

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function d(at: usize): f64 {
  return load<f64>(at);
}

/** Writes three doubles. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function put3(at: usize, x: f64, y: f64, z: f64): void {
  store<f64>(at, x);
  store<f64>(at, y, 8);
  store<f64>(at, z, 16);
}

/** Adds to three doubles. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function add3(at: usize, x: f64, y: f64, z: f64): void {
  put3(at, d(at) + x, d(at + 8) + y, d(at + 16) + z);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function luminance(r: f64, g: f64, b: f64): f64 {
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}
