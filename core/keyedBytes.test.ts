import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { KeyedReader, packKeyed } from './keyedBytes';

const MAGIC = 0x41424344;
const count = fc.integer({ min: 0, max: 2 ** 32 - 1 });
const key = fc.stringMatching(/^[a-z0-9-]{0,80}$/);
const block = fc.record({
  counts: fc.tuple(count, count, count),
  floats: fc.array(fc.float({ noNaN: true }), { maxLength: 9 }),
  integers: fc.array(count, { maxLength: 9 }),
  bytes: fc.array(fc.integer({ min: 0, max: 255 }), { maxLength: 9 }),
  key,
});

const sample = (own = 'mine'): Uint8Array =>
  packKeyed({ magic: MAGIC, counts: [2, 1, 0], arrays: [Float32Array.of(1.5, -2), Uint32Array.of(7)] }, own);
const open = (bytes: Uint8Array, own = 'mine'): KeyedReader =>
  KeyedReader.open(bytes, MAGIC, own, ([floats, integers]) => (floats + integers) * 4);

describe('a block with a key', () => {
  it('gives back what was packed, from any place of a larger buffer', () => {
    fc.assert(
      fc.property(block, fc.integer({ min: 0, max: 7 }), ({ counts, floats, integers, bytes, key }, before) => {
        const arrays = [Float32Array.from(floats), Uint32Array.from(integers), Uint8Array.from(bytes)];
        const packed = packKeyed({ magic: MAGIC, counts, arrays }, key);
        const inside = new Uint8Array(packed.length + before).subarray(before);
        inside.set(packed);
        const size = floats.length * 4 + integers.length * 4 + bytes.length;
        const reader = KeyedReader.open(inside, MAGIC, key, (told) => {
          expect(told).toEqual(counts);
          return size;
        });
        expect(reader.counts).toEqual(counts);
        expect([...reader.floats(floats.length)]).toEqual([...arrays[0]]);
        expect([...reader.integers(integers.length)]).toEqual(integers);
        expect([...reader.bytes(bytes.length)]).toEqual(bytes);
      }),
    );
  });

  it('is a copy: what is read may be changed', () => {
    const packed = sample();
    open(packed).floats(2)[0] = 99;
    expect([...open(packed).floats(2)]).toEqual([1.5, -2]);
  });

  it('is refused wherever it is cut', () => {
    const packed = sample();
    for (let length = 0; length < packed.length; length++)
      expect(() => open(packed.subarray(0, length))).toThrow(/cut short/);
    const longer = new Uint8Array(packed.length + 1);
    longer.set(packed);
    expect(() => open(longer)).toThrow(/cut short/);
  });

  it('is refused when it is of another kind or belongs to something else, and says what to do', () => {
    const other = sample();
    other[0] ^= 1;
    expect(() => open(other)).toThrow(/none, or of another version.*render from the start/s);
    expect(() => open(sample('theirs'))).toThrow(/belongs to another picture/);
    // one name that begins like the other is another
    expect(() => open(sample('min'))).toThrow(/belongs to another picture/);
    expect(() => open(sample(''))).toThrow(/belongs to another picture/);
  });

  it('tells keys apart by their first 64 letters', () => {
    const long = 'k'.repeat(64);
    expect(open(sample(`${long}a`), `${long}b`).counts).toEqual([2, 1, 0]);
    expect(() => open(sample(`${long.slice(1)}a`), `${long.slice(1)}b`)).toThrow(/another picture/);
  });
});
