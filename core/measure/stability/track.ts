/**
 * Following each point of a frame through the two frames before and the two after it, by vectors to the next frame:
 * forwards by chaining them, backwards by solving y + v(y) = x in fixed-point steps.
 */

/** One frame of the window that points are followed through. */
export interface TrackedFrame {
  /** Vectors to the next frame, pixels right and down, two a pixel; null where nothing moves. */
  motion: Float32Array | null;
  /** What is drawn at each pixel, or null when that is not known. */
  ids: ArrayLike<number> | null;
  /** Pixels where two motions may be mixed, see `mixMask`; null for none. */
  mixed: Uint8Array | null;
}

/** Frames in the window; the middle one's points are followed. */
export const WINDOW = 5;
/** Place in it of the frame that is measured. */
export const MIDDLE = 2;
/** Pixels along the border that are not measured: samples there would read beyond it. */
export const BORDER = 4;
/** Farther than this from where it should be a point is lost, pixels. */
const MOST_RESIDUAL = 0.5;

/** Nearer than this to where it was sought another step would not find a point better, pixels. */
const SETTLED = 0.001;

const vector = new Float64Array(2);

/** Bilinear vector at a place, clamped to the picture. */
function vectorAt(motion: Float32Array, width: number, height: number, x: number, y: number): void {
  const cx = x < 0 ? 0 : x > width - 1 ? width - 1 : x;
  const cy = y < 0 ? 0 : y > height - 1 ? height - 1 : y;
  const x0 = Math.min(width - 2, cx | 0);
  const y0 = Math.min(height - 2, cy | 0);
  const fx = cx - x0;
  const fy = cy - y0;
  const a = (y0 * width + x0) * 2;
  const b = a + width * 2;
  const w00 = (1 - fx) * (1 - fy);
  const w10 = fx * (1 - fy);
  const w01 = (1 - fx) * fy;
  const w11 = fx * fy;
  vector[0] = motion[a] * w00 + motion[a + 2] * w10 + motion[b] * w01 + motion[b + 2] * w11;
  vector[1] = motion[a + 1] * w00 + motion[a + 3] * w10 + motion[b + 1] * w01 + motion[b + 3] * w11;
}

/**
 * Follows the point (x, y) of the middle frame.
 * @param frames WINDOW of them
 * @param out x and y in each frame, written
 * @returns false when it is lost: out of the picture, hidden, or mixed with something that moves otherwise
 */
export function follow(
  frames: readonly TrackedFrame[],
  width: number,
  height: number,
  x: number,
  y: number,
  out: Float64Array,
): boolean {
  out[MIDDLE * 2] = x;
  out[MIDDLE * 2 + 1] = y;
  for (let k = MIDDLE; k < WINDOW - 1; k++) {
    const { motion } = frames[k];
    const px = out[k * 2];
    const py = out[k * 2 + 1];
    if (motion) vectorAt(motion, width, height, px, py);
    else vector[0] = vector[1] = 0;
    out[k * 2 + 2] = px + vector[0];
    out[k * 2 + 3] = py + vector[1];
  }
  // where it comes from is sought with the vector it had a frame later, first with that of what is there now
  vector[0] = frames[MIDDLE - 1].motion?.[(y * width + x) * 2] ?? 0;
  vector[1] = frames[MIDDLE - 1].motion?.[(y * width + x) * 2 + 1] ?? 0;
  for (let k = MIDDLE - 1; k >= 0; k--) {
    const { motion } = frames[k];
    const tx = out[k * 2 + 2];
    const ty = out[k * 2 + 3];
    let sx = tx;
    let sy = ty;
    if (motion) {
      for (let step = 0; step < 3; step++) {
        const vx = vector[0];
        const vy = vector[1];
        sx = tx - vx;
        sy = ty - vy;
        vectorAt(motion, width, height, sx, sy);
        if (Math.abs(vector[0] - vx) < SETTLED && Math.abs(vector[1] - vy) < SETTLED) break;
      }
      const off = Math.max(Math.abs(sx + vector[0] - tx), Math.abs(sy + vector[1] - ty));
      if (!(off <= MOST_RESIDUAL)) return false;
    } else vector[0] = vector[1] = 0;
    out[k * 2] = sx;
    out[k * 2 + 1] = sy;
  }
  const own = frames[MIDDLE].ids?.[y * width + x];
  for (let k = 0; k < WINDOW; k++) {
    const px = out[k * 2];
    const py = out[k * 2 + 1];
    if (!(px >= BORDER && py >= BORDER && px <= width - 1 - BORDER && py <= height - 1 - BORDER)) return false;
    const at = Math.round(py) * width + Math.round(px);
    const { ids, motion, mixed } = frames[k];
    if (ids && ids[at] !== own) {
      // another thing that moves alike hides nothing: what is thinner than a pixel comes and goes so, and that is seen
      const vx = out[MIDDLE * 2 + 2] - x;
      const vy = out[MIDDLE * 2 + 3] - y;
      const apart = Math.abs((motion ? motion[at * 2] : 0) - vx) + Math.abs((motion ? motion[at * 2 + 1] : 0) - vy);
      if (!(apart < ALIKE + ALIKE * (Math.abs(vx) + Math.abs(vy)))) return false;
    }
    if (mixed && mixed[at] === 1) return false;
  }
  return true;
}

/** Pixels around a border between two motions that an open shutter and a pixel filter mix. */
const PADDING = 2;
/** Share of the way between two frames that an open shutter sweeps to each side. */
const SWEEP = 0.25;
const MOST_PADDING = 16;
/** How far around such a border. @param fastest component of a vector beside one, pixels */
export function mixRadius(fastest: number): number {
  return Math.ceil(Math.min(MOST_PADDING, PADDING + SWEEP * fastest));
}
/** Vectors of neighbours that differ by more, pixels, belong to different motions; of different things by less. */
const SPLIT = 0.25;
const SPLIT_BY_ID = 0.05;
/** Things that move alike differ by less, pixels and share of the motion, from one frame to another. */
const ALIKE = 0.08;

/** Does another object begin within a pixel? */
export function onOutline(ids: ArrayLike<number>, width: number, height: number, x: number, y: number): boolean {
  const own = ids[y * width + x];
  for (let j = Math.max(0, y - 1); j <= Math.min(height - 1, y + 1); j++)
    for (let i = Math.max(0, x - 1); i <= Math.min(width - 1, x + 1); i++) if (ids[j * width + i] !== own) return true;
  return false;
}

/** Marks the pixels in which what moves in two ways may be mixed: they are seen to change without any flicker. */
export function mixMask(
  motion: Float32Array | null,
  ids: ArrayLike<number> | null,
  width: number,
  height: number,
): Uint8Array | null {
  if (!motion) return null;
  const edges = new Uint8Array(width * height);
  let fastest = 0;
  let any = false;
  const compare = (i: number, j: number): void => {
    const apart = Math.abs(motion[i * 2] - motion[j * 2]) + Math.abs(motion[i * 2 + 1] - motion[j * 2 + 1]);
    const limit = ids && ids[i] !== ids[j] ? SPLIT_BY_ID : SPLIT;
    if (!(apart > limit)) return;
    edges[i] = edges[j] = 1;
    any = true;
    for (const k of [i, j]) {
      const speed = Math.max(Math.abs(motion[k * 2]), Math.abs(motion[k * 2 + 1]));
      if (speed > fastest) fastest = speed;
    }
  };
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = y * width + x;
      if (x + 1 < width) compare(i, i + 1);
      if (y + 1 < height) compare(i, i + width);
    }
  if (!any) return null;
  return widen(edges, width, height, mixRadius(fastest));
}

/** Marks everything within a square of `radius` pixels of what is marked. */
function widen(marks: Uint8Array, width: number, height: number, radius: number): Uint8Array {
  const across = new Uint8Array(marks.length);
  for (let y = 0; y < height; y++) {
    let last = -Infinity;
    for (let x = 0; x < width + radius; x++) {
      if (x < width && marks[y * width + x] === 1) last = x;
      const at = x - radius;
      if (at >= 0 && at < width && x - last <= 2 * radius) across[y * width + at] = 1;
    }
  }
  const out = new Uint8Array(marks.length);
  for (let x = 0; x < width; x++) {
    let last = -Infinity;
    for (let y = 0; y < height + radius; y++) {
      if (y < height && across[y * width + x] === 1) last = y;
      const at = y - radius;
      if (at >= 0 && at < height && y - last <= 2 * radius) out[at * width + x] = 1;
    }
  }
  return out;
}

/** What is mixed and what is not to be relied on, in one mask. @param mixed from `mixMask` */
export function withUnsure(mixed: Uint8Array | null, unsure: Uint8Array | null | undefined): Uint8Array | null {
  if (!unsure?.includes(1)) return mixed;
  return mixed ? mixed.map((m, i) => m | unsure[i]) : unsure;
}
