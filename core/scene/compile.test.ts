import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { BadFileError } from '../errors';
import { addNode, DOWN, environment, light, mapCamera, MATTE, quad, render, sceneOf } from '../testing/scenes';
import {
  createEnvironmentFiller,
  ENVIRONMENT_ITEMS,
  ENVIRONMENT_MAP,
  ENVIRONMENT_SH,
} from '../light/environmentTables';
import { environmentRadiance } from '../light/surroundings/kinds';
import { compileScene } from './compileScene';
import { M_BASE_R, M_OCCLUSION_EVEN, M_ROUGHNESS, M_SLOT } from './materialTable';
import { faceNormals, keepRealTriangles } from './meshRepair';
import { isCurrentPack, packScene, packSketch, sketchBytes, unpackScene } from './packScene';
import { poseNodes } from './pose';
import type { ImageSource } from './source';
import { mipChainBytes, sampleTexture, TEXTURE_STRIDE, texelBytes, writeTexture } from './textureTable';

const even = (r: number, g: number, b: number): ImageSource => ({
  name: 'even',
  width: 1,
  height: 1,
  pixels: Uint8Array.of(r, g, b, 255),
});

describe('compiling', () => {
  it('keeps geometry and gives scenes without light or camera what they lack, with a word about it', () => {
    const source = sceneOf([quad(1)]);
    source.environment = null;
    const scene = compileScene(source);
    expect(scene.triangles.length).toBe(6);
    expect(scene.meta.usesStudioLight).toBe(true);
    expect(scene.meta.shots.length).toBe(1);
    expect(scene.meta.warnings.join(' ')).toMatch(/light/i);
    expect(scene.meta.warnings.join(' ')).toMatch(/camera/i);
  });

  it('frames the whole scene when it has no camera', () => {
    const source = sceneOf([quad(7, 3)]);
    const { meta } = compileScene(source);
    const scene = compileScene(source);
    const m = poseNodes(scene, 0)[meta.shots[0].cameraNode];
    const forward = [-m[8], -m[9], -m[10]];
    const to = [0 - m[12], 3 - m[13], 0 - m[14]];
    const distance = Math.hypot(...to);
    expect((forward[0] * to[0] + forward[1] * to[1] + forward[2] * to[2]) / distance).toBeGreaterThan(0.99);
    expect(distance).toBeGreaterThan(7);
  });

  it.each([NaN, Infinity, -Infinity])('refuses a vertex at %s and names mesh and vertex', (bad) => {
    const mesh = quad(1);
    mesh.positions[4] = bad;
    expect(() => compileScene(sceneOf([mesh]))).toThrow(BadFileError);
    expect(() => compileScene(sceneOf([mesh]))).toThrow(/mesh "mesh", vertex 1/);
  });

  it('replaces normals, colours and texture coordinates that are no numbers, and says how many', async () => {
    const mesh = { ...quad(3), colors: new Float32Array(16).fill(NaN) };
    mesh.normals = Float32Array.from(mesh.normals ?? []);
    mesh.normals[1] = NaN;
    mesh.uvs = Float32Array.from(mesh.uvs ?? []);
    mesh.uvs[0] = Infinity;
    const source = sceneOf([mesh]);
    source.environment = environment(1);
    expect(compileScene(source).meta.warnings.join(' ')).toMatch(/6 vertices have normals, colours/);
    const frame = await render(source, mapCamera(3, 1));
    expect(frame.views.sums.every((v) => Number.isFinite(v))).toBe(true);
  });

  it('brings materials into their ranges, so that no pixel is not a number', async () => {
    const wild = {
      ...MATTE,
      name: 'wild',
      roughness: -3,
      metallic: 7,
      baseColor: [-1, 50, NaN, 1] as [number, number, number, number],
      ior: 0,
      emissive: [1e38, 0, 0] as [number, number, number],
    };
    const source = sceneOf([quad(3)], [wild]);
    source.environment = environment(1);
    source.lights = [
      light('sun', 1e30),
      light('point', -1e30),
      light('spot', 100, { innerConeRad: 1, outerConeRad: 0.5 }),
    ];
    source.lights.forEach((_, i) => addNode(source, { light: i, rotation: DOWN, translation: [0, 1, 0] }));
    expect(compileScene(source).meta.warnings.join(' ')).toContain('Material "wild" has values out of range');
    const frame = await render(source, mapCamera(3, 1), { 'samples.pixel': 4 });
    expect(frame.views.sums.every((v) => Number.isFinite(v))).toBe(true);
    expect(frame.views.display.every((v) => v >= 0)).toBe(true);
  });

  it('folds pictures of one pixel into the factors', () => {
    const source = sceneOf(
      [quad(1)],
      [
        {
          ...MATTE,
          baseColorTexture: { image: 0, wrapS: 'repeat', wrapT: 'repeat' },
          metallicRoughnessTexture: { image: 1, wrapS: 'repeat', wrapT: 'repeat' },
          occlusionTexture: { image: 1, wrapS: 'repeat', wrapT: 'repeat' },
        },
      ],
    );
    source.images = [even(255, 188, 0), even(51, 102, 0)];
    const { materials } = compileScene(source);
    expect(materials[M_BASE_R]).toBeCloseTo(0.5, 5);
    expect(materials[M_BASE_R + 1]).toBeCloseTo(0.5 * 0.5029, 3);
    expect(materials[M_ROUGHNESS]).toBeCloseTo(102 / 255, 5);
    expect(materials[M_OCCLUSION_EVEN]).toBeCloseTo(51 / 255, 5);
    expect(materials[M_SLOT]).toBe(-1);
  });

  it('draws a material whose picture is missing without it, and says so', () => {
    const source = sceneOf(
      [quad(1)],
      [{ ...MATTE, name: 'lost', baseColorTexture: { image: 4, wrapS: 'repeat', wrapT: 'repeat' } }],
    );
    expect(compileScene(source).meta.warnings.join(' ')).toContain('"lost"');
  });
});

describe('mesh repair', () => {
  it('makes normals that stand on the faces', () => {
    const q = quad(2);
    const normals = faceNormals(q.positions, q.indices);
    for (let i = 0; i < 4; i++) expect([...normals.subarray(i * 3, i * 3 + 3)]).toEqual([0, 1, 0]);
  });

  it('leaves out triangles without area, and only those', () => {
    const positions = Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0, 2, 0, 0);
    const kept = keepRealTriangles(positions, Uint32Array.of(0, 1, 2, 0, 1, 3, 1, 1, 2));
    expect([...kept]).toEqual([0, 1, 2]);
  });
});

describe('packing', () => {
  it('gives the same scene back, from plain and from shared memory', () => {
    const source = sceneOf([quad(1), quad(2, 1)]);
    source.lights = [light('point', 5)];
    addNode(source, { light: 0 });
    const scene = compileScene(source);
    const packed = packScene(scene);
    const shared = new SharedArrayBuffer(packed.length);
    new Uint8Array(shared).set(packed);
    for (const buffer of [packed.buffer as ArrayBuffer, shared]) {
      const back = unpackScene(buffer);
      expect(back.meta).toEqual(scene.meta);
      expect(back.positions).toEqual(scene.positions);
      expect(back.normals).toEqual(scene.normals);
      expect(back.meta.lights[0].range).toBe(Infinity);
    }
  });

  it('refuses damaged bytes and knows those of another version', () => {
    const packed = packScene(compileScene(sceneOf([quad(1)])));
    expect(isCurrentPack(packed.subarray(0, 4))).toBe(true);
    expect(isCurrentPack(new TextEncoder().encode('DXS0'))).toBe(false);
    expect(isCurrentPack(new Uint8Array(2))).toBe(false);
    expect(() => unpackScene(packed.slice(0, 5).buffer)).toThrow(BadFileError);
    expect(() => unpackScene(packed.slice(0, packed.length - 400).buffer)).toThrow(BadFileError);
    expect(() => unpackScene(new ArrayBuffer(64))).toThrow(BadFileError);
  });
});

describe('a sketch of a packed scene', () => {
  /** A quad with a picture of so many texels a side that differ everywhere. */
  const packed = (side: number): Uint8Array => {
    const pixels = Uint8Array.from({ length: side * side * 4 }, (_, i) => (i % 4 === 3 ? 255 : (i * 7919) >> 8));
    const use = { image: 0, wrapS: 'repeat', wrapT: 'repeat' } as const;
    const material = { ...MATTE, baseColorTexture: use };
    const source = sceneOf([quad(1)], [material]);
    return packScene(compileScene({ ...source, images: [{ name: 'picture', width: side, height: side, pixels }] }));
  };

  it('is told as soon as the header is there, and needs all but the fine levels of textures', () => {
    const bytes = packed(1024);
    const headerEnd = 8 + new DataView(bytes.buffer).getUint32(4, true);
    expect(sketchBytes(bytes, 4)).toBeNull();
    expect(sketchBytes(bytes, headerEnd - 1)).toBeNull();
    const needed = sketchBytes(bytes, headerEnd)!;
    // 1024² and 512² are fine, 256² is not
    expect(bytes.length - needed).toBe((1024 ** 2 + 512 ** 2) * 4);
  });

  it('is the same scene with coarser textures, and needs nothing behind its bytes', () => {
    const bytes = packed(1024);
    const part = new Uint8Array(bytes.length);
    const needed = sketchBytes(bytes, bytes.length)!;
    part.set(bytes.subarray(0, needed));
    const sketch = unpackScene(packSketch(part).buffer);
    const whole = unpackScene(bytes.buffer);
    expect({ ...sketch, texels: 0, textures: 0 }).toEqual({ ...whole, texels: 0, textures: 0 });
    const [a, b] = [new Float64Array(4), new Float64Array(4)];
    for (const [lod, u] of [
      [0, 0.3],
      [1, 0.71],
      [2.5, 0.05],
    ]) {
      // two levels are missing: what the whole one reads two levels down is what there is
      sampleTexture(whole.texels, whole.textures, 0, u, 0.6, lod + 2, a);
      sampleTexture(sketch.texels, sketch.textures, 0, u, 0.6, lod, b);
      expect(b).toEqual(a);
    }
  });

  it('of a scene with small pictures is the scene itself', () => {
    const bytes = packed(64);
    expect(sketchBytes(bytes, bytes.length)).toBe(bytes.length);
    expect(packSketch(bytes)).toEqual(bytes);
  });
});

const PLAIN = { wrapS: 'repeat', wrapT: 'repeat', cutoff: null, halvings: 0 } as const;

describe('textures', () => {
  const checker = (side: number): ImageSource => {
    const pixels = new Uint8Array(side * side * 4);
    for (let i = 0; i < side * side; i++) {
      const on = ((i % side) + Math.floor(i / side)) % 2 === 0 ? 255 : 0;
      pixels.set([on, on, on, 255], i * 4);
    }
    return { name: 'checker', width: side, height: side, pixels };
  };
  const load = (image: ImageSource, kind: 'color' | 'data'): [Uint8Array, Int32Array] => {
    const { coarse, fine } = texelBytes(image.width, image.height);
    const texels = new Uint8Array(coarse + fine);
    const table = new Int32Array(TEXTURE_STRIDE);
    writeTexture(texels, { coarse: 0, fine: coarse }, table, 0, image, { kind, ...PLAIN });
    return [texels, table];
  };
  const out = new Float64Array(4);

  it('interpolate linearly between texel centres', () => {
    const image: ImageSource = {
      name: 'ramp',
      width: 4,
      height: 1,
      pixels: Uint8Array.of(0, 0, 0, 255, 85, 0, 0, 255, 170, 0, 0, 255, 255, 0, 0, 255),
    };
    const [texels, table] = load(image, 'data');
    for (let u = 0.125; u <= 0.875; u += 0.0125) {
      sampleTexture(texels, table, 0, u, 0.5, 0, out);
      expect(out[0]).toBeCloseTo((u - 0.125) / 0.75, 6);
    }
  });

  it('average in linear light down the mips', () => {
    const [texels, table] = load(checker(8), 'color');
    for (const lod of [1, 2, 3]) {
      sampleTexture(texels, table, 0, 0.3, 0.6, lod, out);
      expect(out[0]).toBeCloseTo(0.5, 2);
    }
  });

  it('repeat without a seam', () => {
    const [texels, table] = load(checker(8), 'data');
    fc.assert(
      fc.property(fc.double({ min: 0, max: 1, noNaN: true }), fc.double({ min: 0, max: 1, noNaN: true }), (u, v) => {
        sampleTexture(texels, table, 0, u, v, 0.4, out);
        const here = out[0];
        sampleTexture(texels, table, 0, u + 3, v - 2, 0.4, out);
        expect(out[0]).toBeCloseTo(here, 5);
      }),
    );
  });

  it('of a mask keep their coverage down the mips, and their colour free of what is cut away', () => {
    const side = 128;
    const pixels = new Uint8Array(side * side * 4);
    for (let i = 0; i < side * side; i++) {
      // thin blades on black: every fourth column
      const blade = (i % side) % 4 === 0;
      pixels.set(blade ? [40, 160, 30, 255] : [0, 0, 0, 0], i * 4);
    }
    const image: ImageSource = { name: 'grass', width: side, height: side, pixels };
    const coverageAt = (cutoff: number | null, level: number): number => {
      const texels = new Uint8Array(mipChainBytes(side, side));
      const table = new Int32Array(TEXTURE_STRIDE);
      writeTexture(texels, { coarse: 0, fine: texels.length }, table, 0, image, { ...PLAIN, kind: 'color', cutoff });
      const [offset, w, h] = [table[4 + level * 3], table[5 + level * 3], table[6 + level * 3]];
      let passed = 0;
      for (let i = 0; i < w * h; i++) {
        if (texels[offset + i * 4 + 3] >= 0.6 * 255) passed++;
        if (texels[offset + i * 4 + 3] > 0) expect(Math.abs(texels[offset + i * 4 + 1] - 160)).toBeLessThan(3);
      }
      return passed / (w * h);
    };
    expect(coverageAt(null, 0)).toBe(0.25);
    expect(coverageAt(null, 2)).toBe(0);
    for (const level of [1, 2, 3]) expect(coverageAt(0.6, level)).toBeGreaterThanOrEqual(0.25);
  });

  it('survive coordinates that are no numbers', () => {
    const [texels, table] = load(checker(8), 'data');
    sampleTexture(texels, table, 0, NaN, Infinity, NaN, out);
    expect(Number.isFinite(out[0])).toBe(true);
  });
});

describe('environment', () => {
  it('is the same colour in every direction and at every roughness when even', () => {
    const map = new Float32Array(ENVIRONMENT_MAP);
    const sh = new Float32Array(ENVIRONMENT_SH);
    const fill = createEnvironmentFiller(environment(3), null);
    for (let i = 0; i < ENVIRONMENT_ITEMS; i++) fill(i, sh, map);
    for (const v of map) expect(v).toBeCloseTo(3, 5);
  });

  it('blends its stops by elevation', () => {
    const radiance = environmentRadiance({
      ...environment(0),
      kind: 'gradient',
      stops: [
        { y: -1, radiance: [0, 0, 0] },
        { y: 1, radiance: [10, 20, 30] },
      ],
    });
    const rgb = new Float64Array(3);
    radiance(1, 0, 0, rgb);
    expect([...rgb]).toEqual([5, 10, 15]);
    radiance(0, 1, 0, rgb);
    expect([...rgb]).toEqual([10, 20, 30]);
  });
});
