import { describe, expect, it } from 'vitest';
import { addNode, cameraAt, quad, render, sceneOf } from '../testing/scenes';
import { compileScene } from './compileScene';
import { poseNodes } from './pose';
import { sparkCount } from './randomParts';
import type { SceneSource, SparksSource } from './source';

const SPARKS: SparksSource = {
  perSecond: 100,
  life: 0.5,
  speed: 4,
  spreadDeg: 20,
  gravity: 9.81,
  size: 0.02,
  radiance: [100, 60, 20],
};
function fountain(sparks: SparksSource = SPARKS): SceneSource {
  const source = sceneOf([quad(1)]);
  const node = addNode(source, { translation: [0, 1, 0], rotation: [Math.SQRT1_2, 0, 0, Math.SQRT1_2] });
  source.nodes[node].sparks = sparks;
  addNode(source, { name: 'last', translation: [5, 0, 0] });
  return source;
}

describe('sparks', () => {
  it('fly as thrown bodies do: along parabolas, within their cone, for their life', () => {
    const scene = compileScene(fountain());
    const [s] = scene.meta.sparks!;
    expect(s.count).toBe(sparkCount(SPARKS));
    expect(scene.meta.nodes[s.first + s.count - 1].name).toContain('spark 50');
    const at = (t: number, k: number) => poseNodes(scene, t, 3)[s.first + k];
    let lit = 0;
    for (let k = 0; k < s.count; k++) {
      const h = 0.01;
      const [a, b, c] = [1, 1 + h, 1 + 2 * h].map((t) => at(t, k));
      const sizes = [a, b, c].map((m) => m[0]);
      // alive through all three, and not reborn between
      if (sizes.some((d) => d < SPARKS.size * 0.01) || sizes[0] < sizes[1] || sizes[1] < sizes[2]) continue;
      lit++;
      const bend = [12, 13, 14].map((i) => (a[i] - 2 * b[i] + c[i]) / (h * h));
      expect(bend[0]).toBeCloseTo(0, 4);
      expect(bend[1]).toBeCloseTo(-SPARKS.gravity, 4);
      expect(bend[2]).toBeCloseTo(0, 4);
      // the emitter's −Z points up
      const speed = [12, 13, 14].map((i) => (b[i] - a[i]) / h);
      expect(Math.hypot(...speed)).toBeLessThan(SPARKS.speed + SPARKS.gravity * SPARKS.life);
    }
    expect(lit).toBeGreaterThan(s.count / 3);
    const born = Array.from({ length: 400 }, (_, i) => at(2 + i * 0.0025, 7)).filter((m) => m[0] > SPARKS.size * 0.97);
    for (const m of born)
      expect(Math.hypot(m[12], m[14])).toBeLessThanOrEqual((m[13] - 1) * Math.tan(Math.PI / 9) + 0.02);
  });

  it('are the same for one take at any time, in any order, and others for another', () => {
    const scene = compileScene(fountain());
    const once = poseNodes(scene, 7.31, 4);
    poseNodes(scene, 1, 4);
    expect(poseNodes(scene, 7.31, 4)).toEqual(once);
    expect(poseNodes(scene, 7.31, 5)).not.toEqual(once);
    expect(poseNodes(scene, 7.31)).toEqual(poseNodes(scene, 7.31, 1));
    // what is not random stands where it stood
    const last = scene.meta.nodes.findIndex((n) => n.name === 'last');
    expect(poseNodes(scene, 7.31, 5)[last]).toEqual(once[last]);
  });

  it('are seen, and glow', async () => {
    const source = fountain({ ...SPARKS, size: 0.1, radiance: [1e4, 6e3, 2e3] });
    const frame = await render(source, cameraAt([0, 1.6, 3], [0, 1.6, 0]), {}, 1);
    const bright = [...frame.views.beauty].filter((v) => v > 1000).length;
    expect(bright).toBeGreaterThan(10);
  });
});

describe('what sways', () => {
  it('turns about its own foot, as far as is said, and takes its children along', () => {
    const source = sceneOf([quad(1)]);
    const foot = addNode(source, { name: 'foot', translation: [1, 2, 3] });
    source.nodes[foot].sway = { angleDeg: 5, hertz: 0.7 };
    addNode(source, { name: 'tip', parent: foot, translation: [0, 2, 0] });
    const scene = compileScene(source);
    const node = (name: string) => scene.meta.nodes.findIndex((n) => n.name === name);
    const n = 3000;
    let [x2, z2] = [0, 0];
    for (let i = 0; i < n; i++) {
      const world = poseNodes(scene, i * 0.73, 2);
      const [f, t] = [world[node('foot')], world[node('tip')]];
      expect([f[12], f[13], f[14]]).toEqual([1, 2, 3]);
      const [x, y, z] = [t[12] - 1, t[13] - 2, t[14] - 3];
      expect(Math.hypot(x, y, z)).toBeCloseTo(2, 9);
      x2 += Math.asin(x / 2) ** 2;
      z2 += Math.asin(z / 2) ** 2;
    }
    for (const sum of [x2, z2]) {
      const degrees = (Math.sqrt(sum / n) * 180) / Math.PI;
      expect(degrees).toBeGreaterThan(4.6);
      expect(degrees).toBeLessThan(5.4);
    }
  });
});
