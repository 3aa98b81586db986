import { describe, expect, it } from 'vitest';
import { aheadInWords, waitingLine, type OpenJob } from './waitingLine';

const job = (
  kind: OpenJob['kind'],
  label: string,
  ownSeconds: number | null,
  more: Partial<OpenJob> = {},
): OpenJob => ({
  ...{ id: label, kind, label, running: false, createdAt: '2026-01-01T00:00:00Z', ownSeconds },
  ...more,
});
const at = (minute: number): Partial<OpenJob> => ({
  createdAt: `2026-01-01T00:${String(minute).padStart(2, '0')}:00Z`,
});

describe('the line of jobs', () => {
  it('names what is ahead of a short job, and adds its time', () => {
    const line = waitingLine([job('sequence', 'six frames', 30, at(9)), job('sequence', 'the night', 300, at(1))]);
    expect(line.map((j) => [j.label, j.ahead, j.secondsLeft])).toEqual([
      ['the night', [], 300],
      ['six frames', ['the night'], 330],
    ]);
    expect(aheadInWords(line[1], null)).toBe('after the night');
    expect(aheadInWords(line[0], null)).toBe('');
  });

  it('lets stills and wedges come before frames, also of a sequence that was begun', () => {
    const line = waitingLine([
      job('sequence', 'frames', 100, { running: true }),
      job('wedge', 'wedge', 40, at(2)),
      job('still', 'still', 10, at(3)),
    ]);
    expect(line.map((j) => [j.label, j.secondsLeft])).toEqual([
      ['still', 10],
      ['wedge', 50],
      ['frames', 150],
    ]);
    expect(aheadInWords(line[2], null)).toBe('after still and wedge');
  });

  it('keeps the sequence that was begun before one that was asked for earlier and paused in between', () => {
    const line = waitingLine([
      job('sequence', 'early', 5, at(0)),
      job('sequence', 'begun', 50, { ...at(5), running: true }),
    ]);
    expect(line.map((j) => j.label)).toEqual(['begun', 'early']);
  });

  it('counts that wedges take turns', () => {
    const line = waitingLine([job('wedge', 'long', 100, at(0)), job('wedge', 'short', 20, at(1))]);
    // the long one is held up by all of the short one, the short one by as much of the long one
    expect(line.map((j) => j.secondsLeft)).toEqual([120, 40]);
  });

  it('gives no time where some of it was never measured', () => {
    const line = waitingLine([
      job('still', 'first', null),
      job('still', 'second', 10, at(1)),
      job('still', 'third', 3, at(2)),
    ]);
    expect(line.map((j) => j.secondsLeft)).toEqual([null, null, null]);
    expect(line.map((j) => j.atLeast)).toEqual([0, 10, 13]);
    expect(aheadInWords(line[2], null)).toBe('after first and second');
  });

  it('says of the first in line what it waits for: a step that is being rendered', () => {
    const [still, frames] = waitingLine([job('sequence', 'frames', 9, { running: true }), job('still', 'still', 1)]);
    expect(aheadInWords(still, frames.label)).toBe('after this step of frames');
    expect(aheadInWords(frames, frames.label)).toBe('after still');
    const many = waitingLine([1, 2, 3, 4].map((n) => job('still', `s${n}`, 1, at(n))));
    expect(aheadInWords(many[3], null)).toBe('after s1, s2 and 1 more');
  });
});
