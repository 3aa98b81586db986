import { afterAll, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest';
import { SUM_LIT, SUMS } from '@daxel/core/light/components';
import type { Lut } from '@daxel/core/film/lut';
import { compileScene } from '@daxel/core/scene/compileScene';
import { cameraAt, quad, sceneOf } from '@daxel/core/testing/scenes';
import type { FrameFile, ReadFrame } from './frameFileWorker';
import type { FromStability, RunFrame, ToStability } from './stabilityWorker';

const [WIDTH, HEIGHT] = [96, 64];
const PIXELS = WIDTH * HEIGHT;
const found: FromStability[] = [];
let notMeasured = 0;
let ask: (message: ToStability) => void = () => undefined;

// the thread's own globals
beforeAll(async () => {
  vi.stubGlobal('addEventListener', (_type: string, handler: (e: { data: ToStability }) => void) => {
    ask = (data) => handler({ data });
  });
  vi.stubGlobal('postMessage', (message: FromStability) => void found.push(message));
  // it listens as soon as it is loaded
  notMeasured = (await import('./stabilityWorker')).NOT_MEASURED;
});
afterAll(() => void vi.unstubAllGlobals());
beforeEach(() => void (found.length = 0));

const { meta, instances, nodeParents, nodeTransforms, keys } = compileScene(sceneOf([quad(50)]));
const camera = cameraAt([0, 5, 0.01], [0, 0, 0]);
const start = (exposureEv = 0, grade: Lut | null = null): ToStability => ({
  type: 'start',
  scene: { meta, instances, nodeParents, nodeTransforms, keys },
  seeThrough: new Uint8Array(instances.length),
  behind: 'background',
  tone: 'none',
  exposureEv,
  shutter: { instants: 1, open: 0.5 },
  patches: [
    { x: 0.1, y: 0.2, width: 0.2, height: 0.6 },
    { x: 0.8, y: 0.2, width: 0.15, height: 0.6 },
    { x: 0, y: 0, width: 0.01, height: 1 },
  ],
  grade,
});

/** A still plate whose bounced light alternates on its left half. */
function frameOf(number: number, flicker: number, layered = true): RunFrame {
  const light = (i: number): number => 0.3 + (i % WIDTH < WIDTH / 2 ? flicker * (number % 2 === 0 ? 1 : -1) : 0);
  const sums = new Float32Array(layered ? PIXELS * SUMS : 0);
  for (let i = 0; layered && i < PIXELS; i++) {
    sums.fill(light(i) * 2, i * SUMS + 3, i * SUMS + 6);
    sums[i * SUMS + SUM_LIT] = 2;
  }
  const at = { timeSeconds: number / 24, camera };
  return {
    ...{ number, width: WIDTH, height: HEIGHT, sums, samples: 2, seen: at, next: at },
    beauty: Float32Array.from({ length: PIXELS * 3 }, (_, k) => light(Math.floor(k / 3))),
    depth: new Float32Array(PIXELS).fill(5),
    objectId: new Uint32Array(PIXELS).fill(1),
    overlaid: new Uint32Array(0),
  };
}
function measured(frames: readonly RunFrame[]) {
  ask(start());
  for (const frame of frames) ask({ type: 'frame', frame });
  ask({ type: 'end' });
  const report = found.find((m) => m.type === 'report')?.report;
  return { report, maps: found.filter((m) => m.type === 'found') };
}
const numbers = [0, 1, 2, 3, 4, 5, 6];

describe('the thread that measures a run', () => {
  it('finds each frame as it can, with a map of where it flickers', () => {
    const { report, maps } = measured(numbers.map((n) => frameOf(n, 0.02)));
    expect(maps.map((m) => m.found.frame)).toEqual([2, 3, 4]);
    const { map, patches } = maps[0];
    // a place that flickers, one that does not, and the border
    expect(patches[0]).toBeGreaterThan(2);
    expect(patches[1]).toBeLessThan(1);
    expect(patches[2]).toBeNull();
    expect([map.width, map.height]).toEqual([WIDTH / 4, HEIGHT / 4]);
    const row = [...map.eighths.subarray(map.width * 8, map.width * 9)];
    // eighths of what is just noticed: far above on the left, nothing far to the right, and the border is not measured
    expect(row[6]).toBeGreaterThan(16);
    expect(row[20]).toBeLessThan(8);
    expect(row[0]).toBe(notMeasured);
    expect(report!.index).toBeGreaterThan(2);
    expect(report!.motionSource).toBe('layer');
  });

  it('gives figures and maps through a grade beside those of the picture, which stay as they are', () => {
    const frames = numbers.map((n) => frameOf(n, 0.02));
    const plain = measured(frames);
    found.length = 0;
    // a table that makes everything one grey
    const table = new Float32Array(6).fill(0.5);
    const all = [1, 1, 1] as const;
    ask(start(0, { name: 'flat', kind: '1D', size: 2, domain: { min: [0, 0, 0], max: all }, table }));
    for (const frame of frames) ask({ type: 'frame', frame });
    ask({ type: 'end' });
    const report = found.find((m) => m.type === 'report')!;
    expect(report.report.index).toBe(plain.report!.index);
    expect(report.graded!.index).toBe(0);
    const graded = found.filter((m) => m.type === 'graded');
    expect(graded.map((m) => m.found.frame)).toEqual([2, 3, 4]);
    expect(graded[0].map.eighths.some((v) => v > 0 && v !== notMeasured)).toBe(false);
    expect(found.filter((m) => m.type === 'found').map((m) => m.map)).toEqual(plain.maps.map((m) => m.map));
  });

  it('says which light it is, where the frames hold their layers', () => {
    expect(measured(numbers.map((n) => frameOf(n, 0.02))).report!.blame!.parts.bounce).toBeCloseTo(1, 3);
    found.length = 0;
    expect(measured(numbers.map((n) => frameOf(n, 0.02, false))).report!.blame).toBeNull();
  });

  it('shows frames from files as they are read, then measures them', () => {
    const asked: string[] = [];
    class Reader {
      onmessage: (e: { data: ReadFrame }) => void = () => undefined;
      postMessage({ number, name, tone }: FrameFile): void {
        asked.push(name);
        if (name === 'bad.png') return this.onmessage({ data: { failed: 'bad.png: it is damaged.' } });
        const image = { name, width: WIDTH, height: HEIGHT, rgb: frameOf(number, 0.02).beauty, tone };
        this.onmessage({ data: { number, image, codes: new Uint8ClampedArray(PIXELS * 4) } });
      }
    }
    vi.stubGlobal('Worker', Reader);
    const file = (number: number, name = `f.${number}.png`): ToStability => ({
      ...{ type: 'file', number, name, bytes: new Uint8Array(0), tone: 'none' },
    });
    ask({ type: 'start-files', grade: null });
    for (const n of numbers) ask(file(n));
    ask({ type: 'end' });
    expect(asked).toHaveLength(numbers.length);
    expect(found.filter((m) => m.type === 'picture')).toHaveLength(numbers.length);
    expect(found.find((m) => m.type === 'report')!.report).toMatchObject({
      motionSource: 'flow',
      frames: { length: 3 },
    });
    ask({ type: 'start-files', grade: null });
    ask(file(0, 'bad.png'));
    expect(found.at(-1)).toEqual({ type: 'failed', message: 'bad.png: it is damaged.' });
  });

  it('divides one place of a few frames', () => {
    ask(start());
    const part = { x: 0, y: 0, width: WIDTH, height: HEIGHT };
    const frames = numbers.map((n) => ({ ...frameOf(n, 0.02), part }));
    ask({ type: 'place', frames, rect: { x: 10, y: 10, width: 20, height: 30 } });
    const { place } = found.find((m) => m.type === 'place')!;
    expect(place.index).toBeGreaterThan(2);
    expect(place.blame.parts.bounce).toBeCloseTo(1, 3);
  });

  it('says what went wrong instead of falling silent', () => {
    // a run that has ended takes no more frames
    measured(numbers.map((n) => frameOf(n, 0)));
    found.length = 0;
    ask({ type: 'frame', frame: frameOf(7, 0) });
    expect(found).toEqual([{ type: 'failed', message: 'The measuring thread was not started.' }]);
    found.length = 0;
    expect(measured(numbers.slice(0, 3).map((n) => frameOf(n, 0))).report).toBeUndefined();
    expect(found.at(-1)).toMatchObject({ type: 'failed', message: expect.stringMatching(/five frames/) as string });
  });

  it('marks ghosts where a trail is left, and nothing where the two are alike', () => {
    const codes = (level: (i: number) => number): Uint8ClampedArray<ArrayBuffer> =>
      Uint8ClampedArray.from({ length: PIXELS * 4 }, (_, k) => level(Math.floor(k / 4)));
    const history = { width: WIDTH / 4, height: HEIGHT / 4, shares: new Uint8Array(PIXELS / 16).fill(255) };
    const even = codes(() => 100);
    ask({ type: 'ghosts', width: WIDTH, height: HEIGHT, shown: even, truth: even, history });
    const trail = codes((i) => (i % WIDTH < 40 ? 160 : 100));
    ask({ type: 'ghosts', width: WIDTH, height: HEIGHT, shown: trail, truth: even, history });
    const [none, some] = found.filter((m) => m.type === 'ghosts').map((m) => m.share);
    expect(none).toBe(0);
    expect(some).toBeGreaterThan(0.2);
  });
});
