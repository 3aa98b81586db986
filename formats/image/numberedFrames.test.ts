import { describe, expect, it } from 'vitest';
import { frameDigits } from '@daxel/core/scene/shotTiming';
import { numberedFrames } from './numberedFrames';

describe('files of a sequence', () => {
  it('are put in order by the number in their names, whatever else is in these', () => {
    const { pattern, frames } = numberedFrames(['take2_v3.0011.exr', 'take2_v3.0009.exr', 'take2_v3.0010.exr']);
    expect(pattern).toBe('take2_v3.####.exr');
    expect(frames.map((f) => f.number)).toEqual([9, 10, 11]);
    expect(frames[2].name).toBe('take2_v3.0011.exr');
    expect(numberedFrames(['9_final.png', '10_final.png']).pattern).toBe('#_final.png');
    expect(numberedFrames(['f9999.png', 'f10000.png']).frames.map((f) => f.number)).toEqual([9999, 10000]);
  });

  it('count from below zero, as handles before the first frame do', () => {
    const names = [-2, -1, 0, 1].map((n) => `glint.${frameDigits(n, 4)}.exr`);
    expect(names[0]).toBe('glint.-0002.exr');
    const { pattern, frames } = numberedFrames(names);
    expect(pattern).toBe('glint.####.exr');
    expect(frames.map((f) => f.number)).toEqual([-2, -1, 0, 1]);
    // a dash after a letter or a digit parts words
    expect(numberedFrames(['glint-0001.exr', 'glint-0002.exr']).frames.map((f) => f.number)).toEqual([1, 2]);
    expect(numberedFrames(['shot2-01.png', 'shot2-02.png']).pattern).toBe('shot2-##.png');
  });

  it.each<[string, string[], RegExp]>([
    ['none', [], /no \.exr or \.png/],
    ['one without a number', ['a.1.png', 'notes.png'], /notes\.png: the name has no frame number/],
    ['two sequences', ['a.1.png', 'b.2.png'], /a\.1\.png and b\.2\.png belong to different/],
    ['two kinds of file', ['a.1.png', 'a.2.exr'], /different sequences/],
    ['a gap', ['a.1.png', 'a.2.png', 'a.4.png'], /a\.#\.png: frame 3 is missing between 2 and 4/],
    ['one twice', ['a.1.png', 'a.01.png'], /frame 1 is there twice/],
  ])('that are %s are refused in one line', (_what, names, message) => {
    expect(() => numberedFrames(names)).toThrow(message);
  });
});
