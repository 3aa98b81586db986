/** The gradient around a scene as it is seen past a row's surfaces. Twin: core/scene/environment. */
import { add, all, allAt, dot, greater, lesser, mul, over, root, sub } from './four';

/** Bytes of what core/raster/skyRecord writes: rays, then glow, then the lowest colour and the rises from stop to stop. */
const GLOW: usize = 48;
const LOWEST: usize = 80;
const RISES: usize = 96;
const RISE: usize = 32;

let sky: usize = 0;

/** @param at the record, or 0 where the caller is asked */
export function bindSky(at: usize): void {
  sky = at;
}

/** Do the loops know the sky by themselves? */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function skyKnown(): bool {
  return sky != 0;
}

export let skyRed: v128 = f32x4.splat(0);
export let skyGreen: v128 = f32x4.splat(0);
export let skyBlue: v128 = f32x4.splat(0);

/** Along one axis of space: from where rays begin in the picture to how they change across and down it. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function along(axis: usize, px: v128, py: v128): v128 {
  const at = sky + axis;
  return add(add(allAt(at), mul(px, allAt(at + 12))), mul(py, allAt(at + 24)));
}

/** Looks at the sky at four places of the picture. */
export function skyAt(px: v128, py: v128): void {
  const one = all(1);
  const none = all(0);
  let x = along(0, px, py);
  let y = along(4, px, py);
  let z = along(8, px, py);
  const l = over(one, root(dot(x, y, z, x, y, z)));
  x = mul(x, l);
  y = mul(y, l);
  z = mul(z, l);
  const glow = sky + GLOW;
  const d = add(one, mul(allAt(glow + 12), sub(one, dot(x, y, z, allAt(glow), allAt(glow + 4), allAt(glow + 8)))));
  const k = over(one, mul(d, d));
  let red = add(allAt(sky + LOWEST), mul(k, allAt(glow + 16)));
  let green = add(allAt(sky + LOWEST + 4), mul(k, allAt(glow + 20)));
  let blue = add(allAt(sky + LOWEST + 8), mul(k, allAt(glow + 24)));
  const rises = load<i32>(sky, LOWEST + 12);
  for (let i = 0; i < rises; i++) {
    const at = sky + RISES + <usize>i * RISE;
    const t = lesser(greater(mul(sub(y, allAt(at)), allAt(at + 4)), none), one);
    const smooth = mul(mul(t, t), sub(all(3), add(t, t)));
    red = add(red, mul(smooth, allAt(at + 8)));
    green = add(green, mul(smooth, allAt(at + 12)));
    blue = add(blue, mul(smooth, allAt(at + 16)));
  }
  skyRed = red;
  skyGreen = green;
  skyBlue = blue;
}
