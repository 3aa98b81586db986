import { bindKernel, createKernelMemory } from '@daxel/kernel/load';
import { describe, expect, it } from 'vitest';
import { isReady, PARTS, RowTeam, type HelperStart, type SpawnHelper } from './rowHelper';

const ROWS = 1000;
const bound = (() => {
  const memory = createKernelMemory(1 << 20)!;
  return { memory, loops: bindKernel(memory) };
})();
const numbers = new Float32Array(bound.memory.buffer);
const OUT = 8 * ROWS;

/** Makes halves of a plane of a number a row, noting which parts there were. */
function halve(team: RowTeam, factor: number, most?: number): [number, number, number][] {
  const parts: [number, number, number][] = [];
  for (let i = 0; i < ROWS; i++) numbers[i] = i * factor;
  const halves = new Uint16Array(bound.memory.buffer, OUT, ROWS);
  bound.loops.toHalves(0, OUT, ROWS);
  const whole = [...halves];
  halves.fill(0xffff);
  team.rows(
    'toHalves',
    ROWS,
    4,
    (from, to, part) => {
      parts.push([from, to, part]);
      return [from * 4, OUT + from * 2, to - from];
    },
    most,
  );
  expect([...halves]).toEqual(whole);
  return parts;
}
/** A helper that says it is there, but never takes a part: asleep, or on a processor that others have. */
function sleeper(ready: boolean) {
  const started: HelperStart[] = [];
  let ended = 0;
  const spawn: SpawnHelper = (start) => {
    started.push(start);
    if (ready) Atomics.store(new Int32Array(start.control), 4, 1);
    return { terminate: () => ended++ };
  };
  return { spawn, started, ended: () => ended };
}

describe('loops on rows', () => {
  it('are done whole by who has no helper, or one that has not started', () => {
    expect(halve(new RowTeam(bound), 2)).toEqual([[0, ROWS, 0]]);
    const { spawn, started } = sleeper(false);
    const team = new RowTeam(bound, spawn);
    team.meet();
    expect(isReady(started[0])).toBe(false);
    expect(halve(team, 3)).toEqual([[0, ROWS, 0]]);
  });

  it('are cut into parts that meet each other, each beginning at a multiple of the step', () => {
    const { spawn, started } = sleeper(true);
    const team = new RowTeam(bound, spawn);
    team.meet();
    expect(isReady(started[0])).toBe(true);
    for (const most of [2, 4, undefined]) {
      const parts = halve(team, 5, most);
      expect(parts.length).toBeLessThanOrEqual(most ?? PARTS);
      expect(parts.length).toBeGreaterThan(1);
      parts.forEach(([from, , part], n) => {
        expect(from).toBe(n === 0 ? 0 : parts[n - 1][1]);
        expect(from % 4).toBe(0);
        expect(part).toBe(n);
      });
      expect(parts.at(-1)![1]).toBe(ROWS);
    }
  });

  it('do not wait for a helper that takes none of them, time after time', () => {
    const { spawn } = sleeper(true);
    const team = new RowTeam(bound, spawn);
    team.meet();
    for (let n = 1; n < 40; n++) halve(team, n);
  });

  it('end with their helper', () => {
    const { spawn, ended } = sleeper(true);
    new RowTeam(bound, spawn).close();
    expect(ended()).toBe(1);
    // where there is none there is nothing to end
    new RowTeam(bound).close();
  });
});
