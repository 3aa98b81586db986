import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { frameName, NAME_TOKENS, tokenProblem, unknownTokens, type NamedFrame } from './fileNaming';
import { sequenceRequest } from './schemas';

const frame: NamedFrame = { shot: 'lamp room/α', take: 4, tier: 'final', date: '2031-05-24', version: 7 };

describe('names of frames', () => {
  it('hold what the frame is, whatever the shot is called, and stay file names', () => {
    expect(frameName('{shot}.####', frame, 7)).toBe('lamp-room-α.0007');
    expect(frameName('a##_v2', frame, 123)).toBe('a123_v2');
    expect(frameName('####', frame, -12)).toBe('-0012');
    expect(frameName('{shot}_{take}_{tier}_{date}_{version}.##', frame, 3)).toBe(
      'lamp-room-α_take4_final_2031-05-24_v007.03',
    );
  });

  it('are refused with words that stand for nothing, which are named', () => {
    const problem = (naming: string): string => {
      const checked = sequenceRequest.safeParse({ first: 0, last: 1, naming });
      return checked.success ? '' : checked.error.issues[0].message;
    };
    for (const good of ['{shot}.####', 'final_#', '###-graded', '{take}{tier}{date}{version}#'])
      expect(problem(good)).toBe('');
    for (const bad of ['{shot}', '##.##', '../####', 'a\\####', 'c:####', '']) expect(problem(bad)).not.toBe('');
    expect(problem('{shot}_{tkae}.####')).toContain('{tkae} stands for nothing');
    for (const word of Object.keys(NAME_TOKENS)) expect(problem('{tkae}.####')).toContain(`{${word}}`);
    // not what every object has
    expect(unknownTokens('{constructor}{toString}#')).toEqual(['constructor', 'toString']);
    expect(tokenProblem('{layer}.####')).not.toBe('');
    expect(tokenProblem('{layer}.####', ['layer'])).toBe('');
  });

  it('never lead to another folder', () => {
    fc.assert(
      fc.property(fc.string(), fc.integer(), (shot, n) => {
        expect(frameName('{shot}.####', { ...frame, shot }, n)).not.toMatch(/[/\\:]/);
      }),
    );
  });
});
