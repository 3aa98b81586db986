import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { checkValue } from '@daxel/core/recipe/recipe';
import { findSetting, SETTINGS, type NumberSetting } from '@daxel/core/recipe/settings';
import { formatBytes, formatDuration, formatMs } from './format';
import { dragged, stepped } from './stepping';

const numbers = SETTINGS.filter((s): s is NumberSetting => s.kind === 'number' || s.kind === 'integer');
const setting = (id: string): NumberSetting => findSetting(id) as NumberSetting;

describe('stepping and dragging', () => {
  it('never leave the range, whatever is done', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...numbers),
        fc.double({ min: 0, max: 1, noNaN: true }),
        fc.integer({ min: -3000, max: 3000 }),
        fc.constantFrom(1, -1),
        (s, t, pixels, way) => {
          const start = stepped(s, s.min + (s.max - s.min) * t, 1);
          for (const value of [
            start,
            stepped(s, start, way as 1 | -1),
            stepped(s, start, way as 1 | -1, 10),
            dragged(s, start, pixels),
          ]) {
            expect(checkValue(s.id, value)).toBe(value);
          }
        },
      ),
    );
  });

  it('double what doubles and add where it adds', () => {
    expect(stepped(setting('shadows.resolution'), 1024, 1)).toBe(2048);
    expect(stepped(setting('samples.pixel'), 4, -1)).toBe(2);
    expect(stepped(setting('lens.exposure'), -1, 1)).toBe(-0.75);
    expect(stepped(setting('lens.exposure'), -1, 1, 10)).toBe(1.5);
    expect(dragged(setting('shadows.resolution'), 1024, 24)).toBe(2048);
    expect(dragged(setting('shadows.radius'), 1, -6)).toBe(0.75);
    expect(dragged(setting('shadows.radius'), 1, 3)).toBe(1);
  });
});

describe('figures', () => {
  it('are short and carry their unit', () => {
    expect([0.00412, 0.0412, 0.412, 4.12, 41.2].map(formatMs)).toEqual([
      '4.1 ms',
      '41 ms',
      '412 ms',
      '4.12 s',
      '41.2 s',
    ]);
    expect([5e5, 5e6, 5e7, 5e9].map(formatBytes)).toEqual(['0.5 MB', '4.8 MB', '48 MB', '4.7 GB']);
    expect([0.2, 59.6, 75, 3700].map(formatDuration)).toEqual(['0 s', '1 min 00 s', '1 min 15 s', '1 h 01 min']);
  });
});
