import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { arenaBytes, arenaBytesByStage, arenaViews, type ArenaPlan, type ArrayType } from './memory';

const type = fc.constantFrom<ArrayType>('f32', 'i32', 'u32', 'i16', 'u16', 'u8', 'f64');
const plan = fc
  .array(fc.record({ type, length: fc.nat(200), stage: fc.constantFrom('geometry', 'shadows', 'samples') }), {
    minLength: 1,
    maxLength: 8,
  })
  .map((specs) => Object.fromEntries(specs.map((s, i) => [`part${i}`, s])) as ArenaPlan);

describe('an arena', () => {
  it('has room for every array, each at a multiple of 64, none over another', () => {
    fc.assert(
      fc.property(plan, fc.integer({ min: 0, max: 4 }), (p, lines) => {
        const base = lines * 64;
        const buffer = new ArrayBuffer(base + arenaBytes(p));
        const views = Object.values(arenaViews(p, buffer, base));
        let end = base;
        views.forEach((view, i) => {
          expect(view.length).toBe(Object.values(p)[i].length);
          expect(view.byteOffset % 64).toBe(0);
          expect(view.byteOffset).toBeGreaterThanOrEqual(end);
          end = view.byteOffset + view.byteLength;
        });
        expect(end).toBe(buffer.byteLength);
      }),
    );
  });

  it('books every byte to a stage', () => {
    fc.assert(
      fc.property(plan, (p) => {
        const booked = Object.values(arenaBytesByStage(p)).reduce((a, b) => a + b, 0);
        const views = Object.values(arenaViews(p, new ArrayBuffer(arenaBytes(p))));
        expect(booked).toBe(views.reduce((sum, v) => sum + v.byteLength, 0));
        // what is lost between them is less than a line each
        expect(arenaBytes(p) - booked).toBeLessThan(64 * views.length);
      }),
    );
  });
});
