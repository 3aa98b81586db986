import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { restoreBytes } from './restoreBytes';
import { cases } from '@daxel/core/testing/cases';

/** What the writer does, said backwards. */
function packed(bytes: Uint8Array): Uint8Array {
  const apart = [...bytes.filter((_, i) => i % 2 === 0), ...bytes.filter((_, i) => i % 2 === 1)];
  return Uint8Array.from(apart, (b, i) => (i === 0 ? b : b - apart[i - 1] + 128));
}

describe('bytes of a block', () => {
  it.each([true, false])('are what was packed, any number of them (compiled: %s)', (compiled) => {
    fc.assert(
      fc.property(fc.uint8Array({ maxLength: 150 }), (bytes) => {
        expect([...restoreBytes(packed(bytes), compiled)]).toEqual([...bytes]);
      }),
      { numRuns: cases(300) },
    );
  });

  it('of a large block after a small one, and a small one after it', () => {
    for (const size of [3, 100_001, 40]) {
      const bytes = Uint8Array.from({ length: size }, (_, i) => (i * i) >> 3);
      expect(restoreBytes(packed(bytes))).toEqual(restoreBytes(packed(bytes), false));
    }
  });
});
