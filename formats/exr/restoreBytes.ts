/**
 * Undoes what OpenEXR does to the bytes of a block before it compresses them (OpenEXR File Layout, as the library's
 * predictor and interleaving): by the compiled loop where it can be had, else one by one, to the same bits.
 */
import { createKernelKeeper } from '@daxel/kernel/load';

const keeper = createKernelKeeper(32 << 20);
/** Bytes that the loop touches behind an end. */
const BEHIND = 64;

/**
 * @param packed each byte as its difference from the one before it, the even ones before the odd ones
 * @param compiled false for the plain loop
 * @returns as many, at an address that is a multiple of four; valid until the next call
 */
export function restoreBytes(packed: Uint8Array, compiled = true): Uint8Array {
  const { length } = packed;
  const room = Math.ceil((length + BEHIND) / 64) * 64;
  const kernel = compiled ? keeper(room * 2) : null;
  if (!kernel) return restored(packed);
  const { buffer } = kernel.memory;
  new Uint8Array(buffer).set(packed);
  kernel.loops.restoreBytes(0, length, room);
  return new Uint8Array(buffer, room, length);
}

function restored(packed: Uint8Array): Uint8Array {
  const out = new Uint8Array(packed.length);
  const half = (packed.length + 1) >> 1;
  // the first is stored as it is
  let last = 128;
  for (let i = 0; i < half; i++) out[2 * i] = last = (last + packed[i] - 128) & 255;
  for (let i = half; i < packed.length; i++) out[2 * (i - half) + 1] = last = (last + packed[i] - 128) & 255;
  return out;
}
