/** The window of frames in the memory of the compiled loops: pictures go in, maps come out. See `plainWindow`. */
import { bindKernel, createKernelMemory, type BoundKernel } from '@daxel/kernel/load';
import {
  BLACK,
  blocksOf,
  DIM,
  FAST_SENSITIVITY,
  flickerKernels,
  GATE,
  SLOW_SENSITIVITY,
  SURROUND,
  WHITE,
} from './flicker';
import { FIELDS, REGION, regionsOf, type RegionSums } from './regions';
import { BORDER, MIDDLE, WINDOW } from './track';
import type { FlickerWindow, MeterFrame, WindowFlicker } from './window';

/** Numbers that the loops touch behind the end of a plane. */
const BEHIND = 16;
/** Memory larger than this is not kept for the next window. */
const MOST_KEPT = 256 * 2 ** 20;
/** Rows a call: an engine takes up its better code for a loop only when it is called anew. */
const ROWS = 16;
/** Addresses of a frame in the table that the loops read. */
const FRAME_ADDRESSES = 5;

/** Memory that no window has; two windows at once have one each. */
let idle: BoundKernel | null = null;

function takeMemory(bytes: number): BoundKernel | null {
  if (idle && idle.memory.buffer.byteLength >= bytes) {
    const kept = idle;
    idle = null;
    return kept;
  }
  const memory = createKernelMemory(bytes);
  return memory && { memory, loops: bindKernel(memory) };
}

/** Deals out addresses; 0 stands for what is not there. */
function layout(): { take: (numbers: number) => number; end: () => number } {
  let top = 64;
  return {
    take(numbers) {
      const at = top;
      top += Math.ceil(numbers / 16) * 64;
      return at;
    },
    end: () => top,
  };
}

/** Where the parts of a held frame lie. */
interface Slot {
  raw: number;
  seen: number;
  steep: number;
  motion: number;
  ids: number;
  mixed: number;
}

/** What is held in a slot. */
interface Held {
  slot: Slot;
  number: number;
  moves: boolean;
  mixes: boolean;
  named: boolean;
}

/**
 * Places and sums in 32 bits. Where a point is lost by a hair, by one but not by the other, it may differ from the plain
 * twin; elsewhere maps are within a hundredth of what is noticed.
 * @returns null where the loops cannot be had, or not for pictures of this size
 */
export function compiledWindow(width: number, height: number, pixelsPerDegree: number): FlickerWindow | null {
  const count = width * height;
  const { take, end } = layout();
  const plane = (): number => take(count + BEHIND);
  const slots: Slot[] = Array.from({ length: WINDOW }, () => ({
    raw: plane(),
    seen: plane(),
    steep: plane(),
    motion: take(2 * count + BEHIND),
    ids: plane(),
    mixed: take((count + BEHIND) / 4),
  }));
  const table = take(WINDOW * FRAME_ADDRESSES);
  const [fast, slow, sureFast, sureSlow, adapted, valid] = [plane(), plane(), plane(), plane(), plane(), plane()];
  const share = { fast: plane(), slow: plane(), surround: plane(), pool: plane() };
  const [one, two, three, work, out, map] = [plane(), plane(), plane(), plane(), plane(), plane()];
  const blocks = blocksOf(width, height);
  const { across, regions } = regionsOf(width, height);
  const small = take(blocks.width * blocks.height + BEHIND);
  const smallWork = take(blocks.width * blocks.height + BEHIND);
  const figures = take(regions * FIELDS.length * 2);
  const regionWork = take(REGION * REGION);
  const kernels = flickerKernels(pixelsPerDegree);
  const longest = Math.max(...Object.values(kernels).map((k) => k.length));
  const line = take(width + longest + 2 * BEHIND);
  const weightsAt = Object.fromEntries(Object.entries(kernels).map(([name, k]) => [name, take(k.length)])) as Record<
    keyof typeof kernels,
    number
  >;
  const bound = takeMemory(end());
  if (!bound) return null;
  const { loops } = bound;
  const numbers = new Float32Array(bound.memory.buffer);
  const words = new Uint32Array(bound.memory.buffer);
  for (const [name, kernel] of Object.entries(kernels))
    numbers.set(kernel, weightsAt[name as keyof typeof kernels] / 4);

  const held: Held[] = [];
  let taken = 0;
  let closed = false;

  function filter(from: number, to: number, by: keyof typeof kernels, w: number, h: number, between: number): void {
    const radius = (kernels[by].length - 1) / 2;
    loops.filterRows(from, between, w, h, weightsAt[by], radius, line);
    loops.filterColumns(between, to, w, h, weightsAt[by], radius);
  }
  const blur = (from: number, to: number, by: 'slopes' | 'fast' | 'slow'): void =>
    filter(from, to, by, width, height, work);
  const wideBlur = (from: number, to: number, by: 'surround' | 'pool' | 'adapted'): void => {
    loops.shrink(from, width, height, small);
    filter(small, small, by, blocks.width, blocks.height, smallWork);
    loops.enlarge(small, width, height, line, to);
  };
  const read = (at: number): Float32Array => numbers.slice(at / 4, at / 4 + count);

  function hold({ number, luminance, motion, ids }: MeterFrame): void {
    const slot = slots[taken++ % WINDOW];
    numbers.set(luminance, work / 4);
    loops.toCandela(work, count, BLACK, WHITE, slot.raw);
    blur(slot.raw, slot.seen, 'slopes');
    loops.slopes(slot.seen, width, height, slot.steep);
    if (motion) numbers.set(motion, slot.motion / 4);
    if (ids) words.set(ids, slot.ids / 4);
    const mixes =
      motion !== null && loops.mixMask(slot.motion, ids ? slot.ids : 0, width, height, work, line, slot.mixed) !== 0;
    held.push({ slot, number, moves: motion !== null, mixes, named: ids !== null });
    if (held.length > WINDOW) held.shift();
  }

  /** Answers of both filters become a map. */
  function mapOf(quick: number, calm: number, to: number): void {
    loops.weigh(quick, calm, adapted, count, DIM, out, three);
    blur(out, one, 'fast');
    blur(three, two, 'slow');
    wideBlur(three, out, 'surround');
    const { fast: nearShare, slow: calmShare, surround: wideShare } = share;
    const gains = [FAST_SENSITIVITY, SLOW_SENSITIVITY, SURROUND] as const;
    loops.respond(one, two, out, valid, nearShare, calmShare, wideShare, count, ...gains);
    wideBlur(one, one, 'pool');
    wideBlur(two, two, 'pool');
    loops.together(one, two, valid, share.pool, count, GATE, to);
  }

  function sumsOf(steep: number, ids: number, certain: number): RegionSums {
    const size = [width, height, REGION, BORDER] as const;
    loops.regionSums(one, two, valid, steep, ids, map, certain, ...size, regionWork, figures);
    const found = new Float64Array(bound!.memory.buffer, figures, regions * FIELDS.length);
    const sums = { across, regions } as RegionSums;
    FIELDS.forEach((field, k) => {
      sums[field] = Float64Array.from({ length: regions }, (_, n) => found[n * FIELDS.length + k]);
    });
    return sums;
  }

  function measure(): WindowFlicker {
    held.forEach(({ slot, moves, mixes, named }, k) => {
      const addresses = [slot.raw, slot.steep, moves ? slot.motion : 0, named ? slot.ids : 0, mixes ? slot.mixed : 0];
      words.set(addresses, table / 4 + k * FRAME_ADDRESSES);
    });
    loops.bindWindow(table, width, height);
    const { slot, number, named } = held[MIDDLE];
    // the mean stands in a plane that the maps need only later
    const mean = one;
    numbers.copyWithin(mean / 4, slot.seen / 4, slot.seen / 4 + count);
    const still = held.every((h) => !h.moves);
    for (const plane of [fast, slow, valid, sureFast, sureSlow]) numbers.fill(0, plane / 4, plane / 4 + count);
    for (let y = 0; y < height; y += ROWS)
      if (still) loops.stayRows(y, y + ROWS, fast, slow, mean, valid);
      else loops.followRows(y, y + ROWS, fast, slow, mean, valid, sureFast, sureSlow);
    wideBlur(mean, adapted, 'adapted');
    loops.adapt(adapted, mean, count);
    blur(valid, share.fast, 'fast');
    blur(valid, share.slow, 'slow');
    wideBlur(valid, share.surround, 'surround');
    wideBlur(valid, share.pool, 'pool');
    mapOf(fast, slow, map);
    const doubtful = !still && loops.anyAbove(map, count, 1) !== 0;
    if (doubtful) mapOf(sureFast, sureSlow, out);
    loops.divide(fast, adapted, count, one);
    blur(one, two, 'fast');
    const sums = sumsOf(slot.steep, named ? slot.ids : 0, doubtful ? out : map);
    loops.shrink(two, width, height, small);
    const soft = { ...blocks, blocks: numbers.slice(small / 4, small / 4 + blocks.width * blocks.height), sums };
    return { number, map: read(map), valid: read(valid), soft };
  }

  return {
    add(frame) {
      hold(frame);
      return held.length < WINDOW ? null : measure();
    },
    close() {
      if (!closed && bound.memory.buffer.byteLength <= MOST_KEPT) idle = bound;
      closed = true;
    },
  };
}
