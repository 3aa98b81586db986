/** The window of frames in the memory of the compiled loops: pictures go in, maps come out. See `plainWindow`. */
import { bindKernel, createKernelMemory, type BoundKernel } from '@daxel/kernel/load';
import { STRIP } from '../blur';
import {
  BLACK,
  BLOCK,
  blocksOf,
  DIM,
  FAST_SENSITIVITY,
  flickerKernels,
  GATE,
  SLOW_SENSITIVITY,
  SURROUND,
  WHITE,
} from './flicker';
import { takeOutFronts, type FrontFrame } from './fronts';
import { FIELDS, REGION, regionsOf, type RegionSums } from './regions';
import { PARTS, RowTeam, type Loop, type SpawnHelper } from './rowHelper';
import { BORDER, MIDDLE, mixRadius, WINDOW, withUnsure } from './track';
import { unsettledShare } from './unsettled';
import type { FlickerWindow, MeterFrame, WindowFlicker } from './window';

/** Numbers that the loops touch behind the end of a plane. */
const BEHIND = 16;
/** Memory larger than this is not kept for the next window. */
const MOST_KEPT = 256 * 2 ** 20;
/** Pixels of a picture for which a second thread is worth its start. */
const LEAST_SHARED = 200_000;
/** Addresses of a frame in the table that the loops read. */
const FRAME_ADDRESSES = 5;
/** Numbers in which a part of the points is followed. */
const SPAN_NUMBERS = 256 * 19;
/** Numbers in which slopes of a region are counted. */
const REGION_COUNTS = 1024;
/** Parts that a blur of the whole picture is cut into. */
const BLUR_PARTS = 4;

/** Memory that no window has, with who works on it; two windows at once have one each. */
let idle: { bound: BoundKernel; team: RowTeam } | null = null;

function takeMemory(bytes: number, spawn: SpawnHelper | undefined): typeof idle {
  if (idle && idle.team.spawn === spawn && idle.bound.memory.buffer.byteLength >= bytes) {
    const kept = idle;
    idle = null;
    return kept;
  }
  const memory = createKernelMemory(bytes);
  if (!memory) return null;
  const bound = { memory, loops: bindKernel(memory) };
  return { bound, team: new RowTeam(bound, spawn) };
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
  /** Vectors are our own guess, good or bad. */
  guessed: boolean;
}

/**
 * Places and sums in 32 bits. Where a point is lost by a hair, by one but not by the other, it may differ from the plain
 * twin; elsewhere maps are within a hundredth of what is noticed.
 * @param spawn starts a thread that takes half of every frame, to the same bits
 * @returns null where the loops cannot be had, or not for pictures of this size
 */
export function compiledWindow(
  width: number,
  height: number,
  pixelsPerDegree: number,
  spawn?: SpawnHelper,
): FlickerWindow | null {
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
  const down = regions / across;
  const small = take(blocks.width * blocks.height + BEHIND);
  const smallWork = take(blocks.width * blocks.height + BEHIND);
  const figures = take(regions * FIELDS.length * 2);
  const eachPart = (numbers: number): number[] => Array.from({ length: PARTS }, () => take(numbers));
  const regionWork = eachPart(REGION * REGION + REGION_COUNTS);
  const kernels = flickerKernels(pixelsPerDegree);
  const longest = Math.max(...Object.values(kernels).map((k) => k.length));
  const lines = eachPart(width + longest + 2 * BEHIND);
  const speeds = take(PARTS);
  const spans = eachPart(SPAN_NUMBERS);
  const stripOf = (): number => take((STRIP + longest) * width + BEHIND);
  const strips = Array.from({ length: BLUR_PARTS }, stripOf);
  const weightsAt = Object.fromEntries(
    Object.entries(kernels).map(([name, k]) => [name, take(2 * k.length)]),
  ) as Record<keyof typeof kernels, number>;
  const taken = takeMemory(end(), count >= LEAST_SHARED ? spawn : undefined);
  if (!taken) return null;
  const { bound, team } = taken;
  const { loops } = bound;
  const numbers = new Float32Array(bound.memory.buffer);
  const words = new Uint32Array(bound.memory.buffer);
  for (const [name, kernel] of Object.entries(kernels))
    // along rows, then along columns
    numbers.set([...kernel, ...kernel], weightsAt[name as keyof typeof kernels] / 4);

  const held: Held[] = [];
  let frames = 0;
  let closed = false;

  const radius = (by: keyof typeof kernels): number => (kernels[by].length - 1) / 2;
  function blur(from: number, to: number, by: 'slopes' | 'fast' | 'slow'): void {
    const weights = [weightsAt[by], radius(by), radius(by)] as const;
    // each part filters the rows around it once more: few parts
    team.rows(
      'filterBoth',
      height,
      STRIP,
      (y, end, n) => [from, to, width, height, ...weights, y, end, lines[n], strips[n]],
      BLUR_PARTS,
    );
  }
  function blurBlocks(by: keyof typeof kernels): void {
    const { width: w, height: h } = blocks;
    const weights = [weightsAt[by], radius(by)] as const;
    const at = (plane: number, y: number): number => plane + y * w * 4;
    team.rows('filterRows', h, 1, (y, end, n) => [at(small, y), at(smallWork, y), w, end - y, ...weights, lines[n]]);
    team.rows('filterColumns', h, 1, (y, end) => [smallWork, small, w, h, ...weights, y, end]);
  }
  const shrink = (from: number): void =>
    team.rows('shrink', height, BLOCK, (y, end) => {
      const to = small + (y / BLOCK) * blocks.width * 4;
      return [from + y * width * 4, width, end - y, to];
    });
  const wideBlur = (from: number, to: number, by: 'surround' | 'pool' | 'adapted'): void => {
    shrink(from);
    blurBlocks(by);
    team.rows('enlarge', height, 1, (y, end, n) => [small, width, height, y, end, lines[n], to]);
  };
  /** A loop over numbers alone. @param argsOf its arguments for planes that start so many bytes later, and a count */
  const each = (name: Loop, argsOf: (later: number, count: number) => readonly number[]): void =>
    team.rows(name, count, 4, (from, to) => argsOf(from * 4, to - from));
  const read = (at: number): Float32Array => numbers.slice(at / 4, at / 4 + count);

  /** Marks where a slot's vectors may be mixed. @returns whether any are */
  function markMixed({ motion, ids, mixed }: Slot): boolean {
    const found = speeds / 4;
    numbers.fill(0, found, found + PARTS);
    team.rows('mixEdges', height, 1, (y, end, n) => [motion, ids, width, height, y, end, work, speeds + n * 4]);
    const fastest = Math.max(...numbers.subarray(found, found + PARTS));
    if (fastest === 0) return false;
    const radius = mixRadius(fastest);
    team.rows('widenRows', height, 1, (y, end, n) => [work, width, y, end, radius, lines[n], out]);
    team.rows('widenColumns', height, 1, (y, end) => [out, width, height, y, end, radius, mixed]);
    return true;
  }

  function hold({ number, luminance, motion, ids, unsure }: MeterFrame): void {
    const slot = slots[frames++ % WINDOW];
    numbers.set(luminance, work / 4);
    each('toCandela', (later, n) => [work + later, n, BLACK, WHITE, slot.raw + later]);
    blur(slot.raw, slot.seen, 'slopes');
    team.rows('slopes', height, 1, (y, end) => [slot.seen, width, height, y, end, slot.steep]);
    if (motion) numbers.set(motion, slot.motion / 4);
    if (ids) words.set(ids, slot.ids / 4);
    let mixes = motion !== null && markMixed(ids ? slot : { ...slot, ids: 0 });
    if (unsure?.includes(1)) {
      const mask = new Uint8Array(bound.memory.buffer, slot.mixed, count);
      mask.set(withUnsure(mixes ? mask : null, unsure)!);
      mixes = true;
    }
    held.push({ slot, number, moves: motion !== null, mixes, named: ids !== null, guessed: unsure !== undefined });
    if (held.length > WINDOW) held.shift();
  }

  /** Answers of both filters are weighed, and become a map. @param smooth takes the quick ones blurred; may be `one` */
  function mapOf(quick: number, calm: number, smooth: number, to: number): void {
    each('weigh', (b, n) => [quick + b, calm + b, adapted + b, n, DIM]);
    blur(quick, smooth, 'fast');
    blur(calm, two, 'slow');
    wideBlur(calm, out, 'surround');
    const { fast: nearShare, slow: calmShare, surround: wideShare } = share;
    const gains = [FAST_SENSITIVITY, SLOW_SENSITIVITY, SURROUND] as const;
    const planes = [smooth, two, out, valid, nearShare, calmShare, wideShare, one, two];
    each('respond', (later, n) => [...planes.map((plane) => plane + later), n, ...gains]);
    wideBlur(one, one, 'pool');
    wideBlur(two, two, 'pool');
    each('together', (b, n) => [one + b, two + b, valid + b, share.pool + b, n, GATE, to + b]);
  }

  function sumsOf(steep: number, ids: number, certain: number): RegionSums {
    const planes = [fast, three, valid, steep, ids, map, certain];
    const size = [width, height, REGION, BORDER];
    team.rows('regionSums', down, 1, (y, end, n) => [...planes, ...size, y, end, regionWork[n], figures]);
    const found = new Float64Array(bound.memory.buffer, figures, regions * FIELDS.length);
    const sums = { across, regions } as RegionSums;
    FIELDS.forEach((field, k) => {
      sums[field] = Float64Array.from({ length: regions }, (_, n) => found[n * FIELDS.length + k]);
    });
    return sums;
  }

  /** A held frame as plain loops see it. */
  function frontFrame({ slot, moves, mixes, named, guessed }: Held): FrontFrame {
    return {
      raw: numbers.subarray(slot.raw / 4, slot.raw / 4 + count),
      motion: moves ? numbers.subarray(slot.motion / 4, slot.motion / 4 + 2 * count) : null,
      ids: named ? words.subarray(slot.ids / 4, slot.ids / 4 + count) : null,
      // an edge that passes is seen as a whole only where all of it is looked at
      mixed: mixes && !guessed ? new Uint8Array(bound.memory.buffer, slot.mixed, count) : null,
    };
  }

  function measure(): WindowFlicker {
    held.forEach(({ slot, moves, mixes, named }, k) => {
      const addresses = [slot.raw, slot.steep, moves ? slot.motion : 0, named ? slot.ids : 0, mixes ? slot.mixed : 0];
      words.set(addresses, table / 4 + k * FRAME_ADDRESSES);
    });
    const { slot, number, named } = held[MIDDLE];
    // the mean stands in a plane that the maps need only later
    const mean = one;
    const still = held.every((h) => !h.moves && !h.mixes);
    const planes = [slot.seen, fast, slow, mean, valid, sureFast, sureSlow];
    team.rows('followRows', height, 1, (y, end, n) => {
      return [table, width, height, y, end, ...planes, still ? 0 : spans[n]];
    });
    const seenAs = (at: number): Float32Array => numbers.subarray(at / 4, at / 4 + count);
    const front = { fast: seenAs(fast), slow: seenAs(slow), mean: seenAs(mean), valid: seenAs(valid) };
    const sure = still ? null : { fast: seenAs(sureFast), slow: seenAs(sureSlow) };
    const frames = held.map(frontFrame);
    const raws = frames.map((f) => f.raw);
    const unsettled = unsettledShare(raws, front.valid, width, height);
    const fronts = takeOutFronts(frames, { ...front, sure }, width, height);
    wideBlur(mean, adapted, 'adapted');
    loops.adapt(adapted, mean, count);
    blur(valid, share.fast, 'fast');
    blur(valid, share.slow, 'slow');
    wideBlur(valid, share.surround, 'surround');
    wideBlur(valid, share.pool, 'pool');
    mapOf(fast, slow, three, map);
    const doubtful = !still && loops.anyAbove(map, count, 1) !== 0;
    if (doubtful) mapOf(sureFast, sureSlow, one, out);
    const sums = sumsOf(slot.steep, named ? slot.ids : 0, doubtful ? out : map);
    shrink(three);
    const soft = { ...blocks, blocks: numbers.slice(small / 4, small / 4 + blocks.width * blocks.height), sums };
    return { number, map: read(map), valid: read(valid), soft, fronts, unsettled };
  }

  return {
    add(frame) {
      team.meet();
      hold(frame);
      return held.length < WINDOW ? null : measure();
    },
    close() {
      if (closed) return;
      closed = true;
      if (bound.memory.buffer.byteLength > MOST_KEPT) return team.close();
      idle?.team.close();
      idle = taken;
    },
  };
}
