/** What a frame leaves to the next under temporal accumulation, kept outside the renderer: a run goes on from it to the same bits. */
import { KeyedReader, packKeyed } from '../keyedBytes';
import { SUMS } from '../light/components';
import type { FrameViews } from './frameMemory';
import { H_FRAMES } from './history';

export interface KeptHistory {
  /** The frame that it stands after. */
  frame: number;
  width: number;
  height: number;
  /** SUMS numbers a pixel, as `accumulateRows` leaves them. */
  light: Float32Array;
  depth: Float32Array;
  objectId: Uint32Array;
}

/** A copy of what stands in the memory after a frame that accumulated. */
export function takeHistory(views: FrameViews, frame: number, width: number, height: number): KeptHistory {
  const { history, historyDepth, historyId } = views;
  return { frame, width, height, light: history.slice(), depth: historyDepth.slice(), objectId: historyId.slice() };
}

/** @returns false when it is of another size: nothing is changed then */
export function putHistory(views: FrameViews, kept: KeptHistory): boolean {
  if (kept.light.length !== views.history.length || kept.depth.length !== views.historyDepth.length) return false;
  views.history.set(kept.light);
  views.historyDepth.set(kept.depth);
  views.historyId.set(kept.objectId);
  return true;
}

/** 'DXH1' */
const MAGIC = 0x31485844;
/** Frames may be numbered from below zero. */
const FRAMES_BELOW = 2 ** 31;

/** @param key names what is being rendered: only the same may go on from it; at most 64 ASCII letters */
export function packHistory(kept: KeptHistory, key: string): Uint8Array {
  const { frame, width, height, light, depth, objectId } = kept;
  const counts = [frame + FRAMES_BELOW, width, height] as const;
  return packKeyed({ magic: MAGIC, counts, arrays: [light, depth, objectId] }, key);
}

/** @throws BadFileError when it is cut short or belongs to something else */
export function unpackHistory(bytes: Uint8Array, key: string): KeptHistory {
  const reader = KeyedReader.open(bytes, MAGIC, key, ([, w, h]) => w * h * (SUMS + 2) * 4);
  const [frame, width, height] = reader.counts;
  const pixels = width * height;
  return {
    frame: frame - FRAMES_BELOW,
    width,
    height,
    light: reader.floats(pixels * SUMS),
    depth: reader.floats(pixels),
    objectId: reader.integers(pixels),
  };
}

/** Share of the history that each block of a frame was averaged over. */
export interface HistoryMap {
  width: number;
  height: number;
  /** 0 where a pixel of the block took nothing over from earlier frames … 255 where all of it was taken over. */
  shares: Uint8Array<ArrayBuffer>;
}
const BLOCK = 4;

/** @param length frames that count at most @returns the least share of each block of 4 × 4 pixels */
export function historyMap(history: Float32Array, width: number, height: number, length: number): HistoryMap {
  const [across, down] = [Math.ceil(width / BLOCK), Math.ceil(height / BLOCK)];
  const shares = new Uint8Array(across * down).fill(255);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const frames = history[(y * width + x) * SUMS + H_FRAMES];
      const share = length > 1 ? Math.round((255 * (frames - 1)) / (length - 1)) : 0;
      const o = Math.floor(y / BLOCK) * across + Math.floor(x / BLOCK);
      if (share < shares[o]) shares[o] = share;
    }
  return { width: across, height: down, shares };
}
