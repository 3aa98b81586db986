import { kernelsInUse } from '@daxel/kernel/load';
import { afterAll, describe, expect, it } from 'vitest';
import { isReady, type HelperStart, type SpawnHelper } from '@daxel/core/measure/stability/rowHelper';
import { StabilityMeter, type StabilityReport } from '@daxel/core/measure/stability/meter';
import type { MeterFrame } from '@daxel/core/measure/stability/window';
import { spawnRows } from './spawnRows';

// wide enough to be worth a second thread, and no multiple of four
const [WIDTH, HEIGHT] = [601, 403];
const started: { start: HelperStart; thread: { terminate(): void } }[] = [];
const spawn: SpawnHelper = (start) => {
  const thread = spawnRows(start);
  started.push({ start, thread });
  return thread;
};
afterAll(() => started.forEach(({ thread }) => thread.terminate()));

/** A pan over waves with a patch that flickers, or the same that stands still. */
function frameOf(number: number, moves: boolean): MeterFrame {
  const dx = moves ? 1.3 : 0;
  const luminance = new Float32Array(WIDTH * HEIGHT);
  const motion = moves ? new Float32Array(WIDTH * HEIGHT * 2).map((_, i) => (i % 2 === 0 ? dx : 0.2)) : null;
  const ids = new Uint32Array(WIDTH * HEIGHT);
  for (let y = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++) {
      const [u, v] = [x - dx * number, y - (moves ? 0.2 : 0) * number];
      const patch = Math.abs(u - 300) < 60 && Math.abs(v - 200) < 60;
      ids[y * WIDTH + x] = patch ? 2 : 1;
      luminance[y * WIDTH + x] = 0.4 + 0.1 * Math.sin(u * 0.2) * Math.cos(v * 0.13) + (patch ? 0.02 * (number % 2) : 0);
    }
  return { number, luminance, motion, ids };
}

async function measured(moves: boolean, helper?: SpawnHelper): Promise<{ report: StabilityReport; maps: number[][] }> {
  const meter = new StabilityMeter({ width: WIDTH, height: HEIGHT, spawn: helper });
  const maps: number[][] = [];
  meter.onMap = (_found, map) => maps.push([...map.subarray(0, 1), ...map.filter((_, i) => i % 997 === 0)]);
  for (let n = 0; n < 8; n++) {
    // it takes part from the third frame on: before that it starts
    if (helper && n === 2)
      for (let k = 0; k < 500 && !started.every(({ start }) => isReady(start)); k++)
        await new Promise((r) => setTimeout(r, 20));
    meter.add(frameOf(n, moves));
  }
  return { report: meter.report(), maps };
}

// plain loops measure alone
describe.runIf(kernelsInUse())('a second thread that measures', () => {
  it.each([true, false])('finds the bits that one alone finds (moving: %s)', async (moves) => {
    const alone = await measured(moves);
    const both = await measured(moves, spawn);
    expect(isReady(started.at(-1)!.start)).toBe(true);
    expect(both).toEqual(alone);
    expect(alone.report.peak).toBeGreaterThan(1);
  });
});
