/**
 * Rays through a hierarchy with four children a node, all four boxes or triangles tested at once.
 * The layout of the memory is described in core/trace/bvhLayout.ts.
 *
 * Whether a triangle is met is decided in 32 bits, by edge tests whose terms of a shared edge are equal but for their
 * sign, so that nothing slips between two triangles (Davidovič, Engelhardt, Georgiev, Slusallek & Dachsbacher 2012,
 * 3D Rasterization: A Bridge between Rasterization and Ray Casting). How far it is, is worked out in 64 bits, so that a
 * surface does not meet the rays that leave it.
 */

let nodes: usize = 0;
let packets: usize = 0;
let materials: usize = 0;
let kinds: usize = 0;
let stack: usize = 0;

/** Bits of a material's kind: how shadow rays take it, and whether the camera sees only its front. */
const SHADOW_BITS: u8 = 3;
const SHADOW_SOLID: u8 = 1;
const FRONT_ONLY: u8 = 4;

/** Offsets of the planes in a node; its links come behind. */
const MAX_X: usize = 48;
const MIN_Y: usize = 16;
const MAX_Y: usize = 64;
const MIN_Z: usize = 32;
const MAX_Z: usize = 80;
const LINKS: usize = 96;
const PACKET: usize = 144;
/** From one coordinate of a packet's corners to the next. */
const AXIS: usize = 16;

/** Directions are kept off zero, so that infinity times zero never appears. */
const TINY: f32 = 1e-18;
/** Three roundings widen the interval of a slab (Ize 2013, Robust BVH Ray Traversal). */
const WIDEN: f32 = 1.0000004;
const NONE: u64 = 0xffffffffffffffff;

/** Says where the parts lie, bytes from the start of the memory. @param stack_ 2 kB of this thread */
export function bindRays(nodes_: usize, packets_: usize, materials_: usize, kinds_: usize, stack_: usize): void {
  nodes = nodes_;
  packets = packets_;
  materials = materials_;
  kinds = kinds_;
  stack = stack_;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function safe(d: f32): f32 {
  return d > TINY || d < -TINY ? d : TINY;
}

/**
 * A ray as triangles see it: axes renamed so that it runs most along the third, then sheared to run along that alone
 * (Woop, Benthin & Wald 2013, Watertight Ray/Triangle Intersection).
 */
let axisX: usize = 0;
let axisY: usize = 0;
let axisZ: usize = 0;
let shearX: f32 = 0;
let shearY: f32 = 0;
let stretch: f32 = 0;

// @ts-expect-error: a decorator of AssemblyScript
@inline
function takeRay(dx: f32, dy: f32, dz: f32): void {
  const x = abs<f32>(dx);
  const y = abs<f32>(dy);
  const z = abs<f32>(dz);
  axisZ = x > y ? (x > z ? 0 : AXIS * 2) : y > z ? AXIS : AXIS * 2;
  axisX = axisZ == AXIS * 2 ? 0 : axisZ + AXIS;
  axisY = axisX == AXIS * 2 ? 0 : axisX + AXIS;
  const along = axisZ == 0 ? dx : axisZ == AXIS ? dy : dz;
  stretch = <f32>1 / along;
  shearX = (axisX == 0 ? dx : axisX == AXIS ? dy : dz) * stretch;
  shearY = (axisY == 0 ? dx : axisY == AXIS ? dy : dz) * stretch;
}

/**
 * Which lanes of a packet a ray meets between two distances. On which side of an edge it passes is told by the sign of a
 * difference of two products, which rounding can bring to zero but not turn, and which for the edge's other triangle is
 * the same but for its sign: nothing slips between them.
 * @param ox, oy, oz the ray's origin, by its own axes, as are the others
 */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function meetPacket(
  p: usize,
  ox: v128,
  oy: v128,
  oz: v128,
  sx: v128,
  sy: v128,
  sz: v128,
  x: usize,
  y: usize,
  z: usize,
  tMin: v128,
  tMax: v128,
): i32 {
  const az = f32x4.sub(v128.load(p + z), oz);
  const bz = f32x4.sub(v128.load(p + z, 48), oz);
  const cz = f32x4.sub(v128.load(p + z, 96), oz);
  const ax = f32x4.sub(f32x4.sub(v128.load(p + x), ox), f32x4.mul(sx, az));
  const ay = f32x4.sub(f32x4.sub(v128.load(p + y), oy), f32x4.mul(sy, az));
  const bx = f32x4.sub(f32x4.sub(v128.load(p + x, 48), ox), f32x4.mul(sx, bz));
  const by = f32x4.sub(f32x4.sub(v128.load(p + y, 48), oy), f32x4.mul(sy, bz));
  const cx = f32x4.sub(f32x4.sub(v128.load(p + x, 96), ox), f32x4.mul(sx, cz));
  const cy = f32x4.sub(f32x4.sub(v128.load(p + y, 96), oy), f32x4.mul(sy, cz));
  const u = f32x4.sub(f32x4.mul(cx, by), f32x4.mul(cy, bx));
  const v = f32x4.sub(f32x4.mul(ax, cy), f32x4.mul(ay, cx));
  const w = f32x4.sub(f32x4.mul(bx, ay), f32x4.mul(by, ax));
  const none = f32x4.splat(0);
  const inside = v128.or(
    f32x4.ge(f32x4.pmin(u, f32x4.pmin(v, w)), none),
    f32x4.le(f32x4.pmax(u, f32x4.pmax(v, w)), none),
  );
  if (!v128.any_true(inside)) return 0;
  const all = f32x4.add(f32x4.add(u, v), w);
  const t = f32x4.mul(f32x4.div(f32x4.add(f32x4.add(f32x4.mul(u, az), f32x4.mul(v, bz)), f32x4.mul(w, cz)), all), sz);
  const real = v128.and(inside, f32x4.ne(all, none));
  return i32x4.bitmask(v128.and(real, v128.and(f32x4.gt(t, tMin), f32x4.lt(t, tMax))));
}

/** Exact terms of the triangle that is looked at: its normal times the direction, and the distance along the ray. */
let facing: f64 = 0;

/** Where the corners of the triangle at a place begin; their other numbers follow at steps of 16 bytes. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function packetAt(place: i32): usize {
  return packets + <usize>(place >> 2) * PACKET + ((<usize>(place & 3)) << 2);
}

function distanceTo(place: i32, ox: f64, oy: f64, oz: f64, dx: f64, dy: f64, dz: f64): f64 {
  const p = packetAt(place);
  const ax = <f64>load<f32>(p);
  const ay = <f64>load<f32>(p, 16);
  const az = <f64>load<f32>(p, 32);
  const ux = <f64>load<f32>(p, 48) - ax;
  const uy = <f64>load<f32>(p, 64) - ay;
  const uz = <f64>load<f32>(p, 80) - az;
  const vx = <f64>load<f32>(p, 96) - ax;
  const vy = <f64>load<f32>(p, 112) - ay;
  const vz = <f64>load<f32>(p, 128) - az;
  const nx = uy * vz - uz * vy;
  const ny = uz * vx - ux * vz;
  const nz = ux * vy - uy * vx;
  facing = nx * dx + ny * dy + nz * dz;
  return (nx * (ax - ox) + ny * (ay - oy) + nz * (az - oz)) / facing;
}

/** Where a ray meets the plane of the triangle at a place: barycentrics of its second and third corner, and how far. */
export let metU: f64 = 0;
export let metV: f64 = 0;
export let metDistance: f64 = 0;

/** Writes `met…`, in doubles (Möller & Trumbore 1997, Fast, Minimum Storage Ray-Triangle Intersection). */
export function meetTriangle(place: i32, ox: f64, oy: f64, oz: f64, dx: f64, dy: f64, dz: f64): void {
  const p = packetAt(place);
  const ax = <f64>load<f32>(p);
  const ay = <f64>load<f32>(p, 16);
  const az = <f64>load<f32>(p, 32);
  const e1x = <f64>load<f32>(p, 48) - ax;
  const e1y = <f64>load<f32>(p, 64) - ay;
  const e1z = <f64>load<f32>(p, 80) - az;
  const e2x = <f64>load<f32>(p, 96) - ax;
  const e2y = <f64>load<f32>(p, 112) - ay;
  const e2z = <f64>load<f32>(p, 128) - az;
  const qx = dy * e2z - dz * e2y;
  const qy = dz * e2x - dx * e2z;
  const qz = dx * e2y - dy * e2x;
  const inv = 1 / (e1x * qx + e1y * qy + e1z * qz);
  const tx = ox - ax;
  const ty = oy - ay;
  const tz = oz - az;
  const rx = ty * e1z - tz * e1y;
  const ry = tz * e1x - tx * e1z;
  const rz = tx * e1y - ty * e1x;
  metU = (tx * qx + ty * qy + tz * qz) * inv;
  metV = (dx * rx + dy * ry + dz * rz) * inv;
  metDistance = (e2x * rx + e2y * ry + e2z * rz) * inv;
}

/** Does a ray of this direction meet the front of the triangle at a place: its corners run counter-clockwise? */
export function seesFront(place: i32, dx: f64, dy: f64, dz: f64): bool {
  distanceTo(place, 0, 0, 0, dx, dy, dz);
  return facing < 0;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function kindOf(place: i32): u8 {
  return load<u8>(kinds + <usize>load<u32>(materials + ((<usize>place) << 2)));
}

/** Distance and child as one number that sorts by distance; distances are not negative. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function key(near: f32, link: i32): u64 {
  return ((<u64>reinterpret<u32>(near)) << 32) | (<u64>(<u32>link));
}

let found: f64 = 0;

/** Distance of the last hit of `closest`. */
export function reached(): f64 {
  return found;
}

/** Nearest triangle after `tMin` and before `tMax`; its distance by `reached`. @returns its place or −1 */
export function closest(
  ox: f64,
  oy: f64,
  oz: f64,
  dx: f64,
  dy: f64,
  dz: f64,
  tMin: f64,
  tMax: f64,
  frontOnly: i32,
): i32 {
  const vox = f32x4.splat(<f32>ox);
  const voy = f32x4.splat(<f32>oy);
  const voz = f32x4.splat(<f32>oz);
  takeRay(<f32>dx, <f32>dy, <f32>dz);
  const x = axisX;
  const y = axisY;
  const z = axisZ;
  const sx = f32x4.splat(shearX);
  const sy = f32x4.splat(shearY);
  const sz = f32x4.splat(stretch);
  const ownX = x == 0 ? vox : x == AXIS ? voy : voz;
  const ownY = y == 0 ? vox : y == AXIS ? voy : voz;
  const ownZ = z == 0 ? vox : z == AXIS ? voy : voz;
  const ix = f32x4.splat(<f32>1 / safe(<f32>dx));
  const iy = f32x4.splat(<f32>1 / safe(<f32>dy));
  const iz = f32x4.splat(<f32>1 / safe(<f32>dz));
  const nearX: usize = <f32>dx < -TINY ? MAX_X : 0;
  const nearY: usize = <f32>dy < -TINY ? MAX_Y : MIN_Y;
  const nearZ: usize = <f32>dz < -TINY ? MAX_Z : MIN_Z;
  const farX = MAX_X - nearX;
  const farY = MIN_Y + MAX_Y - nearY;
  const farZ = MIN_Z + MAX_Z - nearZ;
  const from = f32x4.splat(<f32>tMin);
  const widen = f32x4.splat(WIDEN);
  let nearest = tMax;
  let limit = above(tMax);
  let best = -1;
  let top = stack;
  let node = 0;
  for (;;) {
    if (node >= 0) {
      const p = nodes + ((<usize>node) << 7);
      const near = f32x4.pmax(
        f32x4.pmax(
          f32x4.mul(f32x4.sub(v128.load(p + nearX), vox), ix),
          f32x4.mul(f32x4.sub(v128.load(p + nearY), voy), iy),
        ),
        f32x4.pmax(f32x4.mul(f32x4.sub(v128.load(p + nearZ), voz), iz), from),
      );
      const far = f32x4.pmin(
        f32x4.pmin(
          f32x4.mul(f32x4.sub(v128.load(p + farX), vox), ix),
          f32x4.mul(f32x4.sub(v128.load(p + farY), voy), iy),
        ),
        f32x4.pmin(f32x4.mul(f32x4.sub(v128.load(p + farZ), voz), iz), f32x4.splat(limit)),
      );
      const mask = i32x4.bitmask(f32x4.le(near, f32x4.mul(far, widen)));
      if (mask != 0) {
        if ((mask & (mask - 1)) == 0) {
          node = load<i32>(p + LINKS + ((<usize>ctz(mask)) << 2));
          continue;
        }
        if (popcnt(mask) == 2) {
          // the most frequent case: of two the nearer is gone to, and the other waits
          v128.store(top, near, 16);
          const a = (<usize>ctz(mask)) << 2;
          const b = (<usize>(31 - clz(mask))) << 2;
          const nearA = load<f32>(top + a, 16);
          const nearB = load<f32>(top + b, 16);
          const swapped = nearB < nearA;
          // written in halves: the compiler would widen a link that it loads by its sign
          store<i32>(top, load<i32>(p + LINKS + (swapped ? a : b)));
          store<f32>(top, swapped ? nearA : nearB, 4);
          top += 8;
          node = load<i32>(p + LINKS + (swapped ? b : a));
          continue;
        }
        const links = v128.load(p, LINKS);
        let k0 = mask & 1 ? key(f32x4.extract_lane(near, 0), i32x4.extract_lane(links, 0)) : NONE;
        let k1 = mask & 2 ? key(f32x4.extract_lane(near, 1), i32x4.extract_lane(links, 1)) : NONE;
        let k2 = mask & 4 ? key(f32x4.extract_lane(near, 2), i32x4.extract_lane(links, 2)) : NONE;
        let k3 = mask & 8 ? key(f32x4.extract_lane(near, 3), i32x4.extract_lane(links, 3)) : NONE;
        let low = min(k0, k1);
        k1 = max(k0, k1);
        k0 = low;
        low = min(k2, k3);
        k3 = max(k2, k3);
        k2 = low;
        low = min(k0, k2);
        k2 = max(k0, k2);
        k0 = low;
        low = min(k1, k3);
        k3 = max(k1, k3);
        k1 = low;
        low = min(k1, k2);
        k2 = max(k1, k2);
        k1 = low;
        if (k3 != NONE) {
          store<u64>(top, k3);
          top += 8;
        }
        if (k2 != NONE) {
          store<u64>(top, k2);
          top += 8;
        }
        store<u64>(top, k1);
        top += 8;
        node = <i32>(<u32>k0);
        continue;
      }
    } else {
      const code = ~node;
      let packet = code >> 3;
      const end = packet + (code & 7);
      for (; packet <= end; packet++) {
        let lanes = meetPacket(
          packets + <usize>packet * PACKET,
          ownX,
          ownY,
          ownZ,
          sx,
          sy,
          sz,
          x,
          y,
          z,
          from,
          f32x4.splat(limit),
        );
        while (lanes != 0) {
          const lane = ctz(lanes);
          lanes &= lanes - 1;
          const place = (packet << 2) + lane;
          const t = distanceTo(place, ox, oy, oz, dx, dy, dz);
          if (!(t > tMin && t < nearest)) continue;
          if (frontOnly != 0 && facing >= 0 && (kindOf(place) & FRONT_ONLY) != 0) continue;
          nearest = t;
          limit = above(t);
          best = place;
        }
      }
    }
    do {
      if (top == stack) {
        found = nearest;
        return best;
      }
      top -= 8;
      const next = load<u64>(top);
      node = <i32>(<u32>next);
      if (reinterpret<f32>(<u32>(next >> 32)) <= limit) break;
    } while (true);
  }
  return best;
}

/** A distance in 32 bits that is not less. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function above(t: f64): f32 {
  return <f32>t * <f32>1.0000002;
}

/** What `shadow` returns when something solid is in the way, and when more is in the way than it can list. */
const BLOCKED: i32 = -1;
const TOO_MANY: i32 = -2;

/**
 * What lies between two distances on a ray: something solid, or a list of triangles that the caller must look at.
 * @param list places of those, `most` at the most; the place of what is solid when there is such
 * @returns how many are listed, or BLOCKED or TOO_MANY
 */
export function shadow(
  ox: f64,
  oy: f64,
  oz: f64,
  dx: f64,
  dy: f64,
  dz: f64,
  tMin: f64,
  tMax: f64,
  list: usize,
  most: i32,
): i32 {
  const vox = f32x4.splat(<f32>ox);
  const voy = f32x4.splat(<f32>oy);
  const voz = f32x4.splat(<f32>oz);
  takeRay(<f32>dx, <f32>dy, <f32>dz);
  const x = axisX;
  const y = axisY;
  const z = axisZ;
  const sx = f32x4.splat(shearX);
  const sy = f32x4.splat(shearY);
  const sz = f32x4.splat(stretch);
  const ownX = x == 0 ? vox : x == AXIS ? voy : voz;
  const ownY = y == 0 ? vox : y == AXIS ? voy : voz;
  const ownZ = z == 0 ? vox : z == AXIS ? voy : voz;
  const ix = f32x4.splat(<f32>1 / safe(<f32>dx));
  const iy = f32x4.splat(<f32>1 / safe(<f32>dy));
  const iz = f32x4.splat(<f32>1 / safe(<f32>dz));
  const nearX: usize = <f32>dx < -TINY ? MAX_X : 0;
  const nearY: usize = <f32>dy < -TINY ? MAX_Y : MIN_Y;
  const nearZ: usize = <f32>dz < -TINY ? MAX_Z : MIN_Z;
  const farX = MAX_X - nearX;
  const farY = MIN_Y + MAX_Y - nearY;
  const farZ = MIN_Z + MAX_Z - nearZ;
  const from = f32x4.splat(<f32>tMin);
  const to = f32x4.splat(above(tMax));
  const widen = f32x4.splat(WIDEN);
  let listed = 0;
  let top = stack;
  let node = 0;
  for (;;) {
    if (node >= 0) {
      const p = nodes + ((<usize>node) << 7);
      const near = f32x4.pmax(
        f32x4.pmax(
          f32x4.mul(f32x4.sub(v128.load(p + nearX), vox), ix),
          f32x4.mul(f32x4.sub(v128.load(p + nearY), voy), iy),
        ),
        f32x4.pmax(f32x4.mul(f32x4.sub(v128.load(p + nearZ), voz), iz), from),
      );
      const far = f32x4.pmin(
        f32x4.pmin(
          f32x4.mul(f32x4.sub(v128.load(p + farX), vox), ix),
          f32x4.mul(f32x4.sub(v128.load(p + farY), voy), iy),
        ),
        f32x4.pmin(f32x4.mul(f32x4.sub(v128.load(p + farZ), voz), iz), to),
      );
      let mask = i32x4.bitmask(f32x4.le(near, f32x4.mul(far, widen)));
      if (mask != 0) {
        // one is gone to at once, the others wait
        const lane = 31 - clz(mask);
        mask ^= 1 << lane;
        while (mask != 0) {
          store<i32>(top, load<i32>(p + LINKS + ((<usize>ctz(mask)) << 2)));
          top += 4;
          mask &= mask - 1;
        }
        node = load<i32>(p + LINKS + ((<usize>lane) << 2));
        continue;
      }
    } else {
      const code = ~node;
      let packet = code >> 3;
      const end = packet + (code & 7);
      for (; packet <= end; packet++) {
        let lanes = meetPacket(packets + <usize>packet * PACKET, ownX, ownY, ownZ, sx, sy, sz, x, y, z, from, to);
        while (lanes != 0) {
          const place = (packet << 2) + ctz(lanes);
          lanes &= lanes - 1;
          const kind = kindOf(place) & SHADOW_BITS;
          if (kind == 0) continue;
          const t = distanceTo(place, ox, oy, oz, dx, dy, dz);
          if (!(t > tMin && t < tMax)) continue;
          if (kind == SHADOW_SOLID) {
            store<i32>(list, place);
            return BLOCKED;
          }
          if (listed == most) return TOO_MANY;
          store<i32>(list + ((<usize>listed) << 2), place);
          listed++;
        }
      }
    }
    if (top == stack) return listed;
    top -= 4;
    node = load<i32>(top);
  }
  return listed;
}
