/** What the path loops are told of a frame, and the paths in flight. */
import * as O from './layouts/pathOrder';
import { d, PATH_BYTES } from './pathRecord';

export let paths: usize = 0;
export let shadows: usize = 0;
/** Numbers of the paths in flight, 32 bits each. */
export let active: usize = 0;
/** The picture's arrays. */
export let sums: usize = 0;
export let done: usize = 0;
export let depth: usize = 0;
export let normal: usize = 0;
export let objectId: usize = 0;
export let filter: usize = 0;
export let width: i32 = 0;
export let seed: i32 = 0;
/** A single sample lies in the pixel's middle. */
export let single: bool = false;
export let filterRadius: f64 = 0;
/** Origin, forward, base, right, down of the rays: three doubles each. */
export let rays: usize = 0;
export let perspective: bool = true;
/** Metres at which everything is sharp; 0 for a pinhole. */
export let focus: f64 = 0;
export let mostScatterings: i32 = 0;
export let mostMatte: i32 = 0;
export let mostGloss: i32 = 0;
export let mostThrough: i32 = 0;
export let roulette: i32 = 0;
export let clampAt: f64 = Infinity;
export let caustics: bool = false;
export let sky: bool = false;
export let skyForCamera: f64 = 0;
export let skyForMatte: f64 = 0;
export let skyForGloss: f64 = 0;
/** False where paths start elsewhere than at a camera. */
export let takesPicture: bool = true;

/** The sample that is added is the frame's first. */
export let first: bool = false;
/** Its number in the pattern. */
export let drawn: i32 = 0;

/** @param sample its number in the frame @param inPattern and in the pattern */
export function beginSample(sample: i32, inPattern: u32): void {
  first = sample == 0;
  drawn = <i32>inPattern;
}

/** @param at see the layout pathOrder */
export function bindPaths(at: usize): void {
  paths = <usize>d(at + O.PATHS);
  shadows = <usize>d(at + O.SHADOWS);
  active = <usize>d(at + O.ACTIVE);
  sums = <usize>d(at + O.SUMS);
  done = <usize>d(at + O.DONE);
  depth = <usize>d(at + O.DEPTH);
  normal = <usize>d(at + O.NORMAL);
  objectId = <usize>d(at + O.OBJECT_ID);
  filter = <usize>d(at + O.FILTER);
  width = <i32>d(at + O.WIDTH);
  seed = <i32>(<u32>d(at + O.SEED));
  single = d(at + O.SINGLE) != 0;
  filterRadius = d(at + O.FILTER_RADIUS);
  perspective = d(at + O.PERSPECTIVE) != 0;
  focus = d(at + O.FOCUS);
  mostScatterings = <i32>d(at + O.MOST_SCATTERINGS);
  mostMatte = <i32>d(at + O.MOST_MATTE);
  mostGloss = <i32>d(at + O.MOST_GLOSS);
  mostThrough = <i32>d(at + O.MOST_THROUGH);
  roulette = <i32>d(at + O.ROULETTE);
  clampAt = d(at + O.CLAMP);
  caustics = d(at + O.CAUSTICS) != 0;
  sky = d(at + O.SKY) != 0;
  skyForCamera = d(at + O.SKY_FOR_CAMERA);
  skyForMatte = d(at + O.SKY_FOR_MATTE);
  skyForGloss = d(at + O.SKY_FOR_GLOSS);
  takesPicture = d(at + O.TAKES_PICTURE) != 0;
  rays = at + O.RAYS;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function ray(which: usize, k: usize): f64 {
  return d(rays + which * 24 + k);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function count(p: usize, which: usize): i32 {
  return <i32>load<u8>(p + which);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function pathOf(k: i32): usize {
  return paths + <usize>load<u32>(active + ((<usize>k) << 2)) * PATH_BYTES;
}
