import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compileScene } from '../scene/compileScene';
import type { CompiledScene } from '../scene/compiled';
import type { MaterialSource, PrimitiveSource } from '../scene/source';
import { MATTE, quad, sceneOf } from '../testing/scenes';
import { cutoutLod, dimmingOf, evenTint, hasEvenTint, hasPicture, passesCutout, tintAt } from './cutout';
import { EDGES } from './edges';
import { cases } from '../testing/cases';

const PICTURE = { image: 0, wrapS: 'clamp', wrapT: 'clamp' } as const;

/** One square of a material; pictures are as many pixels wide and high. */
function sceneWith(material: Partial<MaterialSource>, colors?: number[], side = 0): CompiledScene {
  const primitive: PrimitiveSource = { ...quad(1), ...(colors && { colors: Float32Array.from(colors) }) };
  const source = sceneOf([primitive], [{ ...MATTE, ...material }]);
  if (side > 0) {
    // clear on the left, solid on the right
    const pixels = Uint8Array.from({ length: side * side * 4 }, (_, i) =>
      i % 4 < 3 ? 255 : (i >> 2) % side < side / 2 ? 0 : 255,
    );
    source.images = [{ name: 'picture', width: side, height: side, pixels }];
  }
  return compileScene(source);
}
const WHITE = [1, 1, 1, 1];
const tint = (scene: CompiledScene, e = [1, 1, 1], lod = 0): number[] => {
  const out = new Float64Array(3);
  tintAt(scene, 0, e[0], e[1], e[2], lod, out);
  return [...out];
};
const share = fc.double({ min: 0, max: 1, noNaN: true });

describe('what see-through triangles let pass', () => {
  it('is what the opacity of blended ones leaves', () => {
    for (const alpha of [0, 0.25, 1]) {
      const scene = sceneWith({ alphaMode: 'blend', baseColor: [0.2, 0.5, 0.9, alpha] });
      for (const c of tint(scene)) expect(c).toBeCloseTo(1 - alpha, 6);
    }
  });

  it('is the tint of glass, but for what it mirrors', () => {
    const scene = sceneWith({ transmission: 1, baseColor: [0.9, 0.5, 0.1, 1], specular: 1, ior: 1.5 });
    const mirrored = ((1.5 - 1) / (1.5 + 1)) ** 2;
    [0.9, 0.5, 0.1].forEach((c, i) => expect(tint(scene)[i]).toBeCloseTo(c * (1 - mirrored), 5));
    // metal lets nothing through, whatever it is said to
    expect(tint(sceneWith({ transmission: 1, metallic: 1 }))).toEqual([0, 0, 0]);
  });

  it('takes the colours of the corners, in proportion', () => {
    const colors = [...[1, 0, 0, 1], ...[0, 1, 0, 1], ...[0, 0, 1, 1], ...WHITE];
    const scene = sceneWith({ transmission: 1, specular: 0, baseColor: [1, 1, 1, 1] }, colors);
    expect(hasEvenTint(scene, 0)).toBe(false);
    fc.assert(
      fc.property(share, share, share, (a, b, c) => {
        fc.pre(a + b + c > 0.01);
        // the same for any multiple of the weights
        for (const k of [1, 7.5]) {
          const out = tint(scene, [a * k, b * k, c * k]);
          [a, b, c].forEach((w, i) => expect(out[i]).toBeCloseTo(w / (a + b + c), 5));
        }
      }),
    );
  });

  it('is the same all over where there is neither picture nor colour', () => {
    fc.assert(
      fc.property(fc.tuple(share, share, share, share), share, fc.boolean(), (base, transmission, blended) => {
        const scene = sceneWith({ baseColor: base, transmission, alphaMode: blended ? 'blend' : 'opaque' });
        expect(hasEvenTint(scene, 0)).toBe(true);
        const even = new Float64Array(3);
        evenTint(scene, 0, even);
        tint(scene, [0.2, 0.5, 0.3]).forEach((c, i) => expect(c).toBeCloseTo(even[i], 6));
      }),
      { numRuns: cases(50) },
    );
  });

  it('follows a picture', () => {
    const scene = sceneWith({ alphaMode: 'blend', baseColorTexture: PICTURE }, undefined, 8);
    expect(hasPicture(scene, 0)).toBe(true);
    expect(hasEvenTint(scene, 0)).toBe(false);
    // the first corner is on the left, where the picture is clear, the second on the right
    expect(tint(scene, [0.9, 0.05, 0.05])[0]).toBeCloseTo(1, 5);
    expect(tint(scene, [0.05, 0.9, 0.05])[0]).toBeCloseTo(0, 5);
    // far away it is half of both
    expect(tint(scene, [0.9, 0.05, 0.05], 9)[0]).toBeCloseTo(0.5, 1);
  });

  it('is counted in whole steps, of which all is one less than two to the fifteenth', () => {
    expect([0, 1, 2, -1].map(dimmingOf)).toEqual([0, 32767, 32767, 0]);
    fc.assert(fc.property(share, (s) => Math.abs(dimmingOf(s) / 32767 - s) <= 0.5 / 32767 + 1e-12));
  });
});

describe('cut-outs', () => {
  it('pass where alpha reaches the limit: of the material, the corners and the picture together', () => {
    const colors = [...[1, 1, 1, 0], ...WHITE, ...WHITE, ...WHITE];
    const scene = sceneWith({ alphaMode: 'mask', alphaCutoff: 0.5 }, colors);
    for (let k = 0; k <= 20; k++) {
      const first = k / 20;
      const passes = passesCutout(scene, 0, first, (1 - first) / 2, (1 - first) / 2, 0);
      if (Math.abs(1 - first - 0.5) > 1e-6) expect(passes).toBe(1 - first > 0.5);
    }
    const faint = sceneWith({ alphaMode: 'mask', alphaCutoff: 0.5, baseColor: [1, 1, 1, 0.4] });
    expect(passesCutout(faint, 0, 1, 1, 1, 0)).toBe(false);
    const holes = sceneWith({ alphaMode: 'mask', alphaCutoff: 0.5, baseColorTexture: PICTURE }, undefined, 8);
    expect(passesCutout(holes, 0, 0.9, 0.05, 0.05, 0)).toBe(false);
    expect(passesCutout(holes, 0, 0.05, 0.9, 0.05, 0)).toBe(true);
  });

  it('are read as coarsely as they are seen', () => {
    // triangle 0 has the corners (0, 1), (1, 1), (1, 0) of the picture: half of its texels
    const scene = sceneWith({ alphaMode: 'mask', baseColorTexture: PICTURE }, undefined, 64);
    const lodAt = (pixels: number): number => {
      const edges = new Float32Array(EDGES);
      // barycentrics of a triangle with legs of so many pixels: 1 − x/n, (x − y)/n, y/n
      edges.set([-1 / pixels, 0, 1, 1 / pixels, -1 / pixels, 0, 0, 1 / pixels, 0]);
      return cutoutLod(scene, edges, 0, 0, 0);
    };
    expect(lodAt(64)).toBeCloseTo(0, 5);
    expect(lodAt(256)).toBe(0);
    expect(lodAt(16)).toBeCloseTo(2, 5);
    expect(lodAt(2)).toBeCloseTo(5, 5);
    const plain = sceneWith({ alphaMode: 'mask' });
    expect(cutoutLod(plain, new Float32Array(EDGES), 0, 0, 0)).toBe(0);
  });
});
