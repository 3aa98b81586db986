import { describe, expect, it } from 'vitest';
import { randomStream } from '../math/random';
import { shadowContours } from './contours';
import { addNode, cameraAt, DOWN, light, quad, render, sceneOf } from '../testing/scenes';

const N = 160;
const one = new Uint32Array(N * N).fill(1);
const all = { x: 0, y: 0, width: N, height: N };
/** A soft shadow across the picture, slanted; `levels` equal layers in it, 0 for a steady fall. */
function shadow(levels: number, { width = 96, blur = 0, angle = 0.3, grain = 0 } = {}): Float32Array {
  const random = randomStream(5);
  const layered = (t: number): number => {
    const s = Math.min(1, Math.max(0, t));
    if (levels === 0) return s;
    const k = s * levels;
    // the border between two layers is `blur` of a layer wide
    const within = k - Math.floor(k);
    const edge = blur > 0 ? Math.min(1, Math.max(0, (within - 0.5) / blur + 0.5)) : Number(within > 0.5);
    return (Math.floor(k) + edge) / levels;
  };
  return Float32Array.from({ length: N * N }, (_, i) => {
    const [x, y] = [(i % N) - N / 2, Math.floor(i / N) - N / 2];
    const across = x * Math.cos(angle) + y * Math.sin(angle);
    return Math.min(1, Math.max(0, layered(across / width + 0.5) + grain * (random() - 0.5)));
  });
}
const contrast = (lit: Float32Array): number => shadowContours(lit, one, N, N, all).contrast;

describe('contour layers in soft shadows', () => {
  it('are seen as long as they are few, whatever the way they lie', () => {
    for (const angle of [0, 0.3, 0.785, 1.5])
      for (const levels of [4, 6, 8]) expect(contrast(shadow(levels, { angle }))).toBeGreaterThan(0.01);
    expect(contrast(shadow(4))).toBeGreaterThan(contrast(shadow(8)));
  });

  it('are seen through the filter of a map as well: no pixel of it is even', () => {
    for (const levels of [4, 6]) expect(contrast(shadow(levels, { blur: 0.6 }))).toBeGreaterThan(0.01);
  });

  it('are not seen where light falls steadily, or in so many layers that none is', () => {
    for (const width of [24, 48, 96, 150]) expect(contrast(shadow(0, { width }))).toBeLessThan(0.003);
    expect(contrast(shadow(48, { blur: 1 }))).toBeLessThan(0.003);
    // the rounded fall of a disc
    const round = shadow(0).map((v) => v * v * (3 - 2 * v));
    expect(contrast(round)).toBeLessThan(0.005);
  });

  it('are not the shadows of a fence, which rise and fall', () => {
    for (const period of [6, 10, 20]) {
      const fence = Float32Array.from({ length: N * N }, (_, i) => {
        const across = (i % N) * 0.9 + Math.floor(i / N) * 0.3;
        return 0.5 + 0.35 * Math.sin((across * 2 * Math.PI) / period);
      });
      expect(contrast(fence)).toBeLessThan(0.005);
    }
  });

  it('are not made of grain', () => {
    for (const grain of [0.02, 0.1, 0.2]) expect(contrast(shadow(0, { grain }))).toBeLessThan(0.005);
    // and grain does not hide them
    expect(contrast(shadow(4, { grain: 0.05 }))).toBeGreaterThan(0.01);
  });

  it('are told of the light alone: other objects, full light and full shadow are left out', () => {
    expect(shadowContours(new Float32Array(N * N).fill(1), one, N, N, all)).toEqual({ contrast: 0, share: 0 });
    const objects = Uint32Array.from({ length: N * N }, (_, i) => 1 + (Math.floor((i % N) / 8) % 2));
    expect(shadowContours(shadow(4), objects, N, N, all).contrast).toBeLessThan(0.01);
  });

  it('are found where four positions on a lamp draw them, and gone where the choice is automatic', async () => {
    const scene = sceneOf([quad(4), quad(0.5, 1)]);
    const lamp = light('area', 10, { shape: 'square', width: 0.8, castsShadow: true });
    addNode(scene, { light: scene.lights.push(lamp) - 1, rotation: DOWN, translation: [0, 3, 0] });
    const measured = async (values: Record<string, number>): Promise<number> => {
      const size = { 'output.width': 256, 'output.height': 192, 'shadows.localResolution': 1024 };
      const frame = await render(scene, cameraAt([0, 2.2, 2.4], [0, 0, 0.2]), { ...size, ...values });
      const { sums, objectId } = frame.views;
      const lit = Float32Array.from(
        { length: 256 * 192 },
        (_, i) => sums[i * 16 + 13] / (values['samples.pixel'] ?? 1),
      );
      return shadowContours(lit, objectId, 256, 192, { x: 0, y: 0, width: 256, height: 192 }).contrast;
    };
    expect(await measured({ 'samples.pixel': 1, 'shadows.lightSamples': 4 })).toBeGreaterThan(0.01);
    expect(await measured({ 'samples.pixel': 16, 'shadows.lightSamples': 0 })).toBeLessThan(0.01);
    expect(await measured({ 'samples.pixel': 1, 'shadows.lightSamples': 0 })).toBeLessThan(0.01);
  });
});
