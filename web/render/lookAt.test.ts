import { describe, expect, it } from 'vitest';
import type { Lut } from '@daxel/core/film/lut';
import { amplified, createGrader } from './lookAt';
import type { Picture } from './preview';

const picture = (...codes: number[]): Picture => ({
  width: codes.length / 4,
  height: 1,
  codes: Uint8ClampedArray.from(codes),
  samples: 1,
  coarse: false,
});
const curve = (...table: number[]): Lut => ({
  name: 't',
  kind: '1D',
  size: 2,
  domain: { min: [0, 0, 0], max: [1, 1, 1] },
  table: Float32Array.from(table),
});

describe('looking at a picture', () => {
  it('through a table gives another picture, once for each table', () => {
    const grade = createGrader();
    const p = picture(0, 100, 255, 255);
    const turned = curve(1, 1, 1, 0, 0, 0);
    expect([...grade(p, turned).codes]).toEqual([255, 155, 0, 255]);
    expect(grade(p, turned)).toBe(grade(p, turned));
    expect([...grade(p, curve(0, 0, 0, 0.5, 0.5, 0.5)).codes]).toEqual([0, 50, 128, 255]);
    expect(grade(p, null)).toBe(p);
  });

  it('shows how two differ about mid grey', () => {
    const both = amplified(picture(10, 20, 200, 255), picture(12, 20, 100, 255), 8)!;
    expect([...both.codes]).toEqual([112, 128, 255, 255]);
    expect(amplified(picture(1, 1, 1, 255), picture(1, 1, 1, 255, 2, 2, 2, 255), 8)).toBeNull();
  });
});
