/** Arenas: the big arrays of a frame as views on one buffer, with every byte booked to a stage. */
import { namedParts } from '../namedParts';
import type { StageId } from '../recipe/settings';

const TYPES = {
  f32: Float32Array,
  i32: Int32Array,
  u32: Uint32Array,
  i16: Int16Array,
  u16: Uint16Array,
  u8: Uint8Array,
  f64: Float64Array,
} as const;
export type ArrayType = keyof typeof TYPES;

export interface ArraySpec {
  type: ArrayType;
  length: number;
  stage: StageId;
}
export type ArenaPlan = Record<string, ArraySpec>;
export type ArenaViews<P extends ArenaPlan> = { [K in keyof P]: InstanceType<(typeof TYPES)[P[K]['type']]> };

const align = (n: number): number => Math.ceil(n / 64) * 64;

/** Bytes that a plan needs. */
export function arenaBytes(plan: ArenaPlan): number {
  return Object.values(plan).reduce((sum, s) => align(sum) + s.length * TYPES[s.type].BYTES_PER_ELEMENT, 0);
}

/** Bytes booked to each stage. */
export function arenaBytesByStage(...plans: readonly ArenaPlan[]): Partial<Record<StageId, number>> {
  const out: Partial<Record<StageId, number>> = {};
  for (const s of plans.flatMap((p) => Object.values(p)))
    out[s.stage] = (out[s.stage] ?? 0) + s.length * TYPES[s.type].BYTES_PER_ELEMENT;
  return out;
}

/** Views of at least `arenaBytes(plan)` bytes of a buffer, from a multiple of 64 on. */
export function arenaViews<P extends ArenaPlan>(plan: P, buffer: ArrayBufferLike, base = 0): ArenaViews<P> {
  let offset = base;
  const views = namedParts(Object.keys(plan));
  for (const [name, s] of Object.entries(plan)) {
    offset = align(offset);
    const Type = TYPES[s.type] as new (b: ArrayBufferLike, o: number, n: number) => unknown;
    views[name] = new Type(buffer, offset, s.length);
    offset += s.length * TYPES[s.type].BYTES_PER_ELEMENT;
  }
  return views as ArenaViews<P>;
}
