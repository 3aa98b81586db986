import { describe, expect, it } from 'vitest';
import { resolveRecipe, type TierValues } from '@daxel/core/recipe/recipe';
import { cameraAt, environment, MATTE, quad, render, sceneOf } from '@daxel/core/testing/scenes';
import { decode } from 'fast-png';
import { frameLayers, toExr, toPng16, toPng8, type OutputInput } from './outputs';

const camera = cameraAt([0, 2, 0.01], [0, 0, 0], 60);
const SIZE = { 'output.width': 64, 'output.height': 40, 'samples.pixel': 2 };

/** A floor of uneven light under an even sky, rendered and ready to be written. */
async function output(values: TierValues = {}): Promise<OutputInput> {
  const source = sceneOf([quad(0.6), quad(0.3, 0.4, 1)], [MATTE, { ...MATTE, emissive: [3, 1, 0.2] }]);
  source.environment = environment(2);
  const all = { ...SIZE, 'lens.exposure': -1, 'lens.tone': 'none', ...values };
  const frame = await render(source, camera, all);
  return {
    frame,
    recipe: resolveRecipe({ name: 't', draft: all, final: {} }, 'draft'),
    camera,
    layers: ['beauty', 'depth'],
  };
}
const srgb = (v: number): number => {
  const inside = Math.min(1, Math.max(0, v));
  return inside <= 0.0031308 ? 12.92 * inside : 1.055 * inside ** (1 / 2.4) - 0.055;
};

describe('a finished frame', () => {
  it.each([false, true])('as PNG of sixteen bits is its light to a step, dithered: %s', async (dither) => {
    const one = await output({ 'output.dither': dither });
    const { data, width, height, depth, channels } = decode(toPng16(one));
    expect([width, height, depth, channels]).toEqual([64, 40, 16, 3]);
    const { beauty } = one.frame.views;
    let apart = 0;
    const seen = new Set<number>();
    data.forEach((code, i) => {
      const exact = srgb(beauty[i]) * 65535;
      // to the nearest, or by up to a step with noise
      expect(Math.abs(code - exact)).toBeLessThanOrEqual(dither ? 1.1 : 0.61);
      apart += code - exact;
      seen.add(code);
    });
    // noise does not brighten: the mean is right to a few hundredths of a step
    expect(Math.abs(apart / data.length)).toBeLessThan(0.1);
    expect(seen.size).toBeGreaterThan(4);
  });

  it('as PNG of eight bits is what the screen shows', async () => {
    const one = await output();
    const { data } = decode(toPng8(one));
    const { display } = one.frame.views;
    for (let i = 0; i < 64 * 40; i++) for (let c = 0; c < 3; c++) expect(data[i * 3 + c]).toBe(display[i * 4 + c]);
  });

  it('of eight and of sixteen bits show the same light', async () => {
    const one = await output({ 'lens.tone': 'neutral', 'lens.vignette': 1 });
    const eight = decode(toPng8(one)).data;
    const sixteen = decode(toPng16(one)).data;
    for (let i = 0; i < eight.length; i++) expect(Math.abs(sixteen[i] / 257 - eight[i])).toBeLessThan(1.05);
  });

  it('as layers and as EXR has what was asked for, in its order', async () => {
    const one = await output();
    expect(frameLayers(one).map((l) => l.name)).toEqual(['beauty', 'depth']);
    const bytes = toExr(one, 'float', { shot: 'floor' });
    expect([...bytes.subarray(0, 4)]).toEqual([0x76, 0x2f, 0x31, 0x01]);
    expect(Buffer.from(bytes.subarray(0, 600)).toString('latin1')).toContain('floor');
    // half the numbers, and motion only where there is a next frame
    expect(toExr(one, 'half').length).toBeLessThan(bytes.length);
    expect(frameLayers({ ...one, layers: ['beauty', 'motion'] }).map((l) => l.name)).toEqual(['beauty']);
  });
});
