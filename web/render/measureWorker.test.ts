import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest';
import type { ErrorFigures, MeasuredImage } from '@daxel/core/measure/imageError';
import type { FromMeasure, Shown, ToMeasure } from './measureWorker';
import { Measurer } from './measurer';

type Asked = { ticket: number; key: string; request: ToMeasure };
let take: (asked: Asked) => void = () => undefined;
let ended = 0;

// the thread and its page in one: what either posts comes to the other
beforeAll(async () => {
  const page = {
    onmessage: (_event: { data: unknown }): void => undefined,
    postMessage: (asked: Asked): void => void setTimeout(() => take(asked)),
    terminate: (): void => void ended++,
  };
  vi.stubGlobal('addEventListener', (_type: string, handler: (e: { data: Asked }) => void) => {
    take = (data) => handler({ data });
  });
  vi.stubGlobal('postMessage', (data: unknown) => page.onmessage({ data }));
  vi.stubGlobal('Worker', function () {
    return page;
  });
  await import('./measureWorker');
});
afterAll(() => void vi.unstubAllGlobals());

const [WIDTH, HEIGHT] = [40, 24];
/** Even grey but for a brighter square. */
function image(name: string, square = 0, more: Partial<MeasuredImage> = {}): MeasuredImage {
  const rgb = new Float32Array(WIDTH * HEIGHT * 3).fill(0.2);
  for (let y = 4; y < 12; y++) rgb.fill(0.2 + square, (y * WIDTH + 4) * 3, (y * WIDTH + 12) * 3);
  return { name, width: WIDTH, height: HEIGHT, rgb, tone: 'none', ...more };
}
const whole = { x: 0, y: 0, width: WIDTH, height: HEIGHT };
const calm = { x: 20, y: 0, width: 20, height: HEIGHT };

describe('pictures that are compared', () => {
  it('are shown as codes, with whether their noise is known', async () => {
    const measurer = new Measurer();
    const shown = await measurer.putImage('a', image('a', 0.3, { error: new Float32Array(WIDTH * HEIGHT) }));
    expect([shown.width, shown.height, shown.knowsNoise]).toEqual([WIDTH, HEIGHT, true]);
    // a fifth of the light has the code 124, half of it 188
    expect([...shown.codes.subarray(0, 4)]).toEqual([124, 124, 124, 255]);
    expect(shown.codes[(6 * WIDTH + 6) * 4]).toBe(188);
  });

  it('are measured over each rectangle, and alike ones differ in nothing', async () => {
    const measurer = new Measurer();
    await measurer.putImage('a', image('a', 0.3));
    await measurer.putImage('b', image('b'));
    const [all, right] = await measurer.figures('a', 'b', [whole, calm]);
    // 64 of 960 pixels differ by 0.3
    expect(all.rmse).toBeCloseTo(0.3 * Math.sqrt(64 / 960), 5);
    expect(right.rmse).toBe(0);
    expect(all.flip).toBeGreaterThan(right.flip);
    const [same] = await measurer.figures('b', 'b', [whole]);
    expect(same).toMatchObject({ rmse: 0, flip: 0, psnr: Infinity });
  });

  it('differ in codes: brighter and darker about grey, or by how much, times a gain', async () => {
    const measurer = new Measurer();
    await measurer.putImage('a', image('a', 0.3));
    await measurer.putImage('b', image('b'));
    const at = (6 * WIDTH + 6) * 4;
    const signed = await measurer.difference('a', 'b', { kind: 'signed', gain: 1 });
    expect([signed[0], signed[at]]).toEqual([128, 128 + (188 - 124) / 2]);
    const turned = await measurer.difference('b', 'a', { kind: 'signed', gain: 1 });
    expect(turned[at]).toBe(128 - (188 - 124) / 2);
    const absolute = await measurer.difference('b', 'a', { kind: 'absolute', gain: 2 });
    expect([absolute[0], absolute[at]]).toEqual([0, 2 * (188 - 124)]);
  });

  it('are measured anew once one of them is another', async () => {
    const measurer = new Measurer();
    await measurer.putImage('a', image('a', 0.3));
    await measurer.putImage('b', image('b'));
    const before = await measurer.figures('a', 'b', [whole]);
    await measurer.putImage('a', image('a', 0));
    const after = await measurer.figures('a', 'b', [whole]);
    expect(before[0].flip).toBeGreaterThan(0.001);
    expect(after[0]).toMatchObject({ rmse: 0, flip: 0 } satisfies Partial<ErrorFigures>);
  });

  it('tell the light of a pixel of each, where they have it, and their means at a smaller size', async () => {
    const measurer = new Measurer();
    for (const key of ['a', 'b', 'c']) await measurer.forget(key);
    await measurer.putImage('a', image('a', 0.5));
    await measurer.putImage('c', { ...image('c'), width: 4, height: 4, rgb: new Float32Array(48).fill(0.1) });
    const found = await measurer.pixel(6, 6);
    expect(found['a'][0]).toBeCloseTo(0.7, 6);
    expect(found['c']).toEqual([]);
    const small = await measurer.small('a', 10, 6);
    // the square fills two by two of them
    expect(small.length).toBe(180);
    expect(small[(1 * 10 + 1) * 3]).toBeCloseTo(0.7, 6);
    expect(small[0]).toBeCloseTo(0.2, 6);
  });

  it('that cannot be compared say why, and others still can', async () => {
    const measurer = new Measurer();
    await measurer.putImage('a', image('a'));
    await measurer.putImage('c', { ...image('c'), width: 4, height: 4, rgb: new Float32Array(48) });
    await expect(measurer.figures('a', 'c', [whole])).rejects.toThrow(/a is 40×24 and c is 4×4/);
    await measurer.forget('c');
    await expect(measurer.figures('a', 'c', [whole])).rejects.toThrow(/not there any more/);
    await expect(measurer.putBytes('d', new Uint8Array(9), 'd.png')).rejects.toThrow(/d\.png/);
    expect((await measurer.figures('a', 'a', [whole]))[0].rmse).toBe(0);
    measurer.terminate();
    expect(ended).toBe(1);
  });

  it('answer questions that were asked at once each with its own', async () => {
    const measurer = new Measurer();
    const answers = await Promise.all([
      measurer.putImage('x', image('x', 0.1)),
      measurer.putImage('y', image('y', 0.2)),
      measurer.pixel(6, 6),
      measurer.forget('x'),
      measurer.pixel(6, 6),
    ]);
    const [x, y, both, , one] = answers as [
      Shown,
      Shown,
      Record<string, number[]>,
      FromMeasure,
      Record<string, number[]>,
    ];
    expect(y.codes[(6 * WIDTH + 6) * 4]).toBeGreaterThan(x.codes[(6 * WIDTH + 6) * 4]);
    expect(Object.keys(both)).toEqual(expect.arrayContaining(['x', 'y']));
    expect(Object.keys(one)).not.toContain('x');
  });
});
