/** Traced shadows: what is between a point and a light, cut-outs and coloured glass included. Twin: core/trace/traceShadow. */
import { decay } from './elementary';
import { M_ABSORPTION, M_ALPHA_MODE, M_THICKNESS, M_TRANSMISSION, ALPHA_MASK, materialOf } from './materialAt';
import { d, FROM, FROM_FACE, LENGTH, TO } from './pathRecord';
import { meetTriangle, metDistance, metU, metV, seesFront, shadow } from './rays';
import { f } from './scenery';
import { passesCutout, tintAt, tintB, tintG, tintR } from './seeThrough';

/** Share of the light that came through last. */
export let litR: f64 = 1;
export let litG: f64 = 1;
export let litB: f64 = 1;

/** Of `shadow`: something solid is in the way, or more than its list holds. */
const BLOCKED: i32 = -1;
const TOO_MANY: i32 = -2;

let order: usize = 0;
let list: usize = 0;
let most: i32 = 0;
/** Where the caller writes what it was asked for: three doubles. */
let answer: usize = 0;
/** Signed lengths inside solid glass times its absorption, and absorption of bodies entered but not left. */
let absorbs: bool = false;
let depthR: f64 = 0;
let depthG: f64 = 0;
let depthB: f64 = 0;
let withinR: f64 = 0;
let withinG: f64 = 0;
let withinB: f64 = 0;

/** The caller's: traces the shadow ray at an address and writes what comes through into the answer. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "passLong")
declare function passLong(ray: u32): void;

/** @param order_ of the triangles @param list_ room for `most_` places on a ray */
export function bindShadowRays(order_: usize, list_: usize, most_: i32, answer_: usize): void {
  order = order_;
  list = list_;
  most = most_;
  answer = answer_;
}

/** Number of the triangle at a place. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function triangleAt(place: i32): i32 {
  return load<i32>(order + ((<usize>place) << 2));
}

/** Positions are 32-bit floats: stepping off by a few of their units keeps a face from shadowing itself. */
export function stepOff(x: f64, y: f64, z: f64): f64 {
  return max<f64>(max<f64>(abs<f64>(x), abs<f64>(y)), max<f64>(abs<f64>(z), 0.25)) * 4e-6;
}

/** Traces the shadow ray at an address, a hair off its face, and writes `lit…`. */
export function traceShadow(s: usize): void {
  const off = stepOff(d(s + FROM), d(s + FROM + 8), d(s + FROM + 16));
  const ox = d(s + FROM) + d(s + FROM_FACE) * off;
  const oy = d(s + FROM + 8) + d(s + FROM_FACE + 8) * off;
  const oz = d(s + FROM + 16) + d(s + FROM_FACE + 16) * off;
  const lx = d(s + TO);
  const ly = d(s + TO + 8);
  const lz = d(s + TO + 16);
  const length = d(s + LENGTH);
  litR = litG = litB = 1;
  const listed = shadow(ox, oy, oz, lx, ly, lz, 0, length - off * 2, list, most);
  if (listed == TOO_MANY) {
    passLong(<u32>s);
    litR = d(answer);
    litG = d(answer + 8);
    litB = d(answer + 16);
    return;
  }
  if (listed == BLOCKED) {
    litR = litG = litB = 0;
    return;
  }
  absorbs = false;
  for (let k = 0; k < listed; k++) {
    const place = load<i32>(list + ((<usize>k) << 2));
    const t = triangleAt(place);
    meetTriangle(place, ox, oy, oz, lx, ly, lz);
    const distance = metDistance;
    const m = materialOf(t);
    let passes = false;
    if (load<f32>(m, M_ALPHA_MODE) == ALPHA_MASK && load<f32>(m, M_TRANSMISSION) == 0) {
      if (!passesCutout(t, metU, metV)) continue;
    } else {
      tintAt(t, metU, metV);
      litR *= tintR;
      litG *= tintG;
      litB *= tintB;
      absorb(m, seesFront(place, lx, ly, lz) ? -distance : distance);
      passes = litR + litG + litB > 1e-4;
    }
    if (passes) continue;
    litR = litG = litB = 0;
    return;
  }
  if (!absorbs) return;
  const rest = length == Infinity ? 0 : length;
  litR *= decay(-max<f64>(0, depthR + max<f64>(0, withinR) * rest));
  litG *= decay(-max<f64>(0, depthG + max<f64>(0, withinG) * rest));
  litB *= decay(-max<f64>(0, depthB + max<f64>(0, withinB) * rest));
}

/** Beer–Lambert of solid glass: from where it is entered to where it is left. @param way negative where it is entered */
function absorb(m: usize, way: f64): void {
  if (load<f32>(m, M_THICKNESS) == 0) return;
  const r = f(m + M_ABSORPTION);
  const g = f(m + M_ABSORPTION + 4);
  const b = f(m + M_ABSORPTION + 8);
  if (r == 0 && g == 0 && b == 0) return;
  if (!absorbs) {
    absorbs = true;
    depthR = depthG = depthB = 0;
    withinR = withinG = withinB = 0;
  }
  const sign: f64 = way < 0 ? 1 : -1;
  depthR += way * r;
  depthG += way * g;
  depthB += way * b;
  withinR += sign * r;
  withinG += sign * g;
  withinB += sign * b;
}
