/** What the paths of a tile in flight are, one record a slot, and what tracing them is told. */
import { LIGHT_NUMBERS } from '../../light/components';
import { SURFACE_SIZE, type SurfaceInput } from '../../raster/surface';
import type { ShadedPlace } from '../../shadows/shadowAt';
import type { BvhArrays } from '../bvhLayout';
import { ARRIVAL_SIZE, type Emitters } from '../emitters';
import { PATH_TILE } from '../pathKernel';
import { SCATTER_SIZE, type Glass } from '../scatter';
import type { ShadowRays } from '../traceShadow';
import type { PathCamera } from './cameraStarts';

export interface PathLimits {
  /** Surfaces after the first that a path may scatter on, in all and of a kind. */
  total: number;
  matte: number;
  gloss: number;
  /** Faces of glass a path may cross. */
  through: number;
  /** Surfaces before a path may be ended by chance. */
  roulette: number;
  /** Largest luminance of one indirect contribution, nit; Infinity to take all. */
  clamp: number;
  /** Light mirrored or bent onto matte surfaces is followed exactly; otherwise it crosses glass straight, off blunt mirrors. */
  caustics: boolean;
}

export interface PathInput {
  surface: SurfaceInput;
  bvh: BvhArrays;
  /** Of shadow rays: `casts` says what lets light straight through. */
  shadows: ShadowRays;
  /** 1 per material whose back is not seen by the camera. */
  frontOnly: Uint8Array;
  emitters: Emitters;
  limits: PathLimits;
  /** Added to the number of a sample wherever random numbers are drawn. */
  sampleBase: number;
  seed: number;
  /** Sums, PATH_SUMS numbers an item. */
  paths: Float32Array;
  /** Whose picture is taken; null where paths start elsewhere. */
  camera: PathCamera | null;
  now: () => number;
  /** Milliseconds spent: first rays, shading, bounce rays, shadow rays. */
  spent: Float64Array;
}

const N = PATH_TILE * PATH_TILE;
/** Radiance a path carries home: by component, then light, lit, clamped. */
export const H_LIGHT = LIGHT_NUMBERS;
export const H_LIT = H_LIGHT + 1;
export const H_CLAMPED = H_LIGHT + 2;
export const HOME = H_LIGHT + 3;
/** Paths in flight, one record a slot; rgb and xyz arrays hold three numbers a slot. */
export const pixel = new Int32Array(N);
export const origin = new Float64Array(N * 3);
export const direction = new Float64Array(N * 3);
export const carried = new Float64Array(N * 3);
export const home = new Float64Array(N * HOME);
/** Where the last scattering was, and with what density its direction was drawn; 0: no emitter was asked there. */
export const last = new Float64Array(N * 3);
export const density = new Float64Array(N);
/** Share of the first scattering that was matte, per colour. */
export const split = new Float64Array(N * 3);
/** Factor on the surroundings by what the last scattering was. */
export const useOfSky = new Float64Array(N * 3);
/** Absorption of the glass the ray is in, per metre. */
export const inside = new Float64Array(N * 3);
export const footprint = new Float64Array(N);
export const spread = new Float64Array(N);
/** Scatterings so far: all, matte, glossy; faces of glass crossed. */
export const scattered = new Uint8Array(N);
export const matteCount = new Uint8Array(N);
export const glossCount = new Uint8Array(N);
export const throughCount = new Uint8Array(N);
/** Panes lie between the last scattering and the ray's origin. */
export const crossed = new Uint8Array(N);
/** The path may scatter no more: it only learns what light it meets. */
export const ending = new Uint8Array(N);
export const hitTriangle = new Int32Array(N);
export const hitPlace = new Int32Array(N);
export const hitU = new Float64Array(N);
export const hitV = new Float64Array(N);
export const hitDistance = new Float64Array(N);
/** Shadow rays of a wave: place, direction, length, and what they bring home: direct, matte, gloss rgb, weight. */
export const SHADOW = 21;
export const shadow = new Float64Array(N * SHADOW);
export const shadowSlot = new Int32Array(N);
export const active = new Int32Array(N);
export const surface = new Float64Array(SURFACE_SIZE);
export const arrival = new Float64Array(ARRIVAL_SIZE);
export const scatter = new Float64Array(SCATTER_SIZE);
export const pair = new Float64Array(2);
export const lit = new Float64Array(3);
export const slopes = new Float64Array(4);
export const sky = new Float64Array(3);
export const glass: Glass = { solid: false, ior: 1.5, entering: true, straight: false, boost: 1 };
export const place: ShadedPlace = { x: 0, y: 0, z: 0, fx: 0, fy: 0, fz: 0, viewDistance: 0 };
/** What the denoiser divides by and compares: colour and normal of the first surface that is not see-through. */
export const seenColor = new Float64Array(N * 6);
