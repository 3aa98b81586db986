import { WebIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS } from '@gltf-transform/extensions';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { DaxelError } from '@daxel/core/errors';
import { railPath } from '@daxel/core/scene/cameraPath';
import { STILL_TAKE } from '@daxel/core/scene/take';
import { compileScene } from '@daxel/core/scene/compileScene';
import { addNode, light, MATTE, quad, sceneOf } from '@daxel/core/testing/scenes';
import type { SceneSource } from '@daxel/core/scene/source';
import { readGlb } from './readGlb';
import { writeGlb } from './writeGlb';
import { cases } from '@daxel/core/testing/cases';

const PATH = railPath({ eye: [0, 1, 4], target: [0, 0, 0], first: 5, last: 9, rate: 25 }, 1);
const SPARKS = {
  perSecond: 4,
  life: 0.5,
  speed: 2,
  spreadDeg: 30,
  gravity: 9.81,
  size: 0.004,
  radiance: [900, 500, 100] as [number, number, number],
};
const TAKE = { ...STILL_TAKE, number: 12, large: { angleDeg: 1, shift: 0.02, hertz: 0.7 } };
function sample(): SceneSource {
  const image = {
    name: 'red',
    width: 2,
    height: 2,
    pixels: Uint8Array.from({ length: 16 }, (_, i) => (i % 4 === 0 || i % 4 === 3 ? 255 : 40)),
  };
  const scene = sceneOf(
    [quad(1)],
    [
      {
        ...MATTE,
        name: 'painted',
        baseColorTexture: { image: 0, wrapS: 'clamp', wrapT: 'mirror' },
        emissive: [0, 12, 0],
        transmission: 0.25,
        ior: 1.33,
        alphaMode: 'mask',
        alphaCutoff: 0.3,
        doubleSided: true,
      },
    ],
  );
  scene.images = [image];
  scene.lights = [
    light('spot', 40, { innerConeRad: 0.2, outerConeRad: 0.5, radius: 0.1 }),
    light('sun', 9, { angularDiameterRad: 0.0093, castsShadow: true }),
  ];
  const first = addNode(scene, { light: 0, translation: [0, 2, 0] });
  scene.nodes[first].sway = { angleDeg: 3, hertz: 0.5 };
  scene.nodes[first].sparks = SPARKS;
  addNode(scene, { light: 1 });
  scene.cameras = [{ name: 'main', kind: 'perspective', yfovRad: 0.8, ymag: 1, near: 0.05 }];
  addNode(scene, { camera: 0, translation: [0, 1, 4], name: 'main camera' });
  scene.shots = [
    { name: 'opening', cameraNode: 3, firstFrame: 5, lastFrame: 9, rate: 25, seed: 3, take: TAKE, path: PATH },
  ];
  scene.animations = [
    {
      node: 1,
      path: 'translation',
      interpolation: 'linear',
      times: Float32Array.of(0, 1),
      values: Float32Array.of(0, 2, 0, 1, 2, 0),
    },
  ];
  return scene;
}

describe('a .glb', () => {
  it('brings back what was written', async () => {
    const back = await readGlb(await writeGlb(sample()), 'sample.glb');
    const material = back.materials[0];
    expect(material).toMatchObject({ name: 'painted', alphaMode: 'mask', doubleSided: true });
    expect(material.transmission).toBeCloseTo(0.25, 5);
    expect(material.ior).toBeCloseTo(1.33, 5);
    expect(material.emissive[1]).toBeCloseTo(12, 4);
    expect(material.baseColorTexture).toMatchObject({ wrapS: 'clamp', wrapT: 'mirror' });
    expect(back.images[0]).toMatchObject({ width: 2, height: 2 });
    expect([...back.images[0].pixels.subarray(0, 4)]).toEqual([255, 40, 40, 255]);
    const spot = back.lights.find((l) => l.kind === 'spot');
    expect(spot).toMatchObject({ intensity: 40 });
    expect(spot?.radius).toBeCloseTo(0.1, 5);
    expect(back.lights.find((l) => l.kind === 'sun')?.angularDiameterRad).toBeCloseTo(0.0093, 5);
    expect(back.shots[0]).toMatchObject({
      name: 'opening',
      firstFrame: 5,
      lastFrame: 9,
      rate: 25,
      seed: 3,
      take: TAKE,
      path: PATH,
    });
    expect(back.nodes.find((n) => n.sway)?.sway).toEqual({ angleDeg: 3, hertz: 0.5 });
    expect(back.nodes.find((n) => n.sparks)?.sparks).toEqual(SPARKS);
    expect(back.animations.length).toBe(1);
    // two triangles, and eight for each of two sparks
    expect(compileScene(back).triangles.length).toBe(6 + 2 * 24);
  });

  it('brings area lights back, beside a punctual light on the same node and without one', async () => {
    const scene = sample();
    scene.lights.push(
      light('area', -300, { shape: 'ellipse', width: 0.6, height: 0.2, twoSided: true, color: [1, 0.5, 0.2] }),
    );
    addNode(scene, { light: 2, translation: [1, 2, 3], name: 'panel' });
    const back = await readGlb(await writeGlb(scene), 'sample.glb');
    expect(back.lights[2]).toMatchObject({
      kind: 'area',
      intensity: -300,
      shape: 'ellipse',
      twoSided: true,
      height: 0.2,
    });
    const compiled = compileScene(back).meta;
    expect(compiled.nodes[compiled.lights.find((l) => l.kind === 'area')!.node].name).toBe('panel');
    // a spot that is an area as well: both shine, from the same place
    const doc = await new WebIO().registerExtensions(ALL_EXTENSIONS).readBinary(await writeGlb(sample()));
    const spot = doc
      .getRoot()
      .listNodes()
      .find((n) => n.getExtension('KHR_lights_punctual'))!;
    spot.setExtras({ daxel: { areaLight: { width: 0.5, luminance: 80 } } });
    const io = new WebIO().registerExtensions(ALL_EXTENSIONS);
    const both = await readGlb(await io.writeBinary(doc), 'both.glb');
    expect(both.lights.map((l) => l.kind)).toContain('area');
    const area = both.nodes.find((n) => n.light !== undefined && both.lights[n.light].kind === 'area')!;
    expect(both.nodes[area.parent].light).toBeDefined();
    spot.setExtras({ daxel: { areaLight: { width: 0, luminance: 80 } } });
    const none = await readGlb(await io.writeBinary(doc), 'none.glb');
    expect(none.lights.some((l) => l.kind === 'area')).toBe(false);
    expect(none.warnings.join()).toMatch(/no area; it gives no light/);
  });

  it('with a picture around it is lit by that picture', async () => {
    const doc = await new WebIO().registerExtensions(ALL_EXTENSIONS).readBinary(await writeGlb(sample()));
    const extras = (image: number) => ({ daxel: { environment: { kind: 'picture', image, strength: 50 } } });
    doc.getRoot().listScenes()[0].setExtras(extras(0));
    const io = new WebIO().registerExtensions(ALL_EXTENSIONS);
    const compiled = compileScene(await readGlb(await io.writeBinary(doc), 'sky.glb'));
    expect(compiled.meta.environment).toMatchObject({ kind: 'picture', picture: 'scene', strength: 50 });
    expect(compiled.meta.environmentPicture).toEqual({ width: 2, height: 2 });
    expect([...compiled.environmentPicture.subarray(0, 2)]).toEqual([
      1,
      Math.fround(((40 / 255 + 0.055) / 1.055) ** 2.4),
    ]);
    doc.getRoot().listScenes()[0].setExtras(extras(9));
    expect((await readGlb(await io.writeBinary(doc), 'sky.glb')).warnings.join()).toMatch(
      /picture 9, which does not exist/,
    );
  });

  it('makes every camera a shot when it names none', async () => {
    const source = sample();
    source.shots = [];
    const back = compileScene(await readGlb(await writeGlb(source), 'x.glb'));
    expect(back.meta.shots.length).toBe(1);
    expect(back.meta.warnings.join()).not.toMatch(/no camera/i);
  });
});

describe('bad files', () => {
  const text = (json: unknown, more: Partial<{ version: number; length: number; magic: number }> = {}): Uint8Array => {
    const body = new TextEncoder().encode(typeof json === 'string' ? json : JSON.stringify(json));
    const padded = Math.ceil(body.length / 4) * 4;
    const file = new Uint8Array(20 + padded).fill(32, 20);
    const view = new DataView(file.buffer);
    view.setUint32(0, more.magic ?? 0x46546c67, true);
    view.setUint32(4, more.version ?? 2, true);
    view.setUint32(8, more.length ?? file.length, true);
    view.setUint32(12, padded, true);
    view.setUint32(16, 0x4e4f534a, true);
    file.set(body, 20);
    return file;
  };
  const asset = { version: '2.0' };
  const sparse = {
    count: 2,
    indices: { bufferView: 7, componentType: 5125 },
    values: { bufferView: 7 },
  };
  const inline = (bytes: number) => ({
    buffers: [{ byteLength: bytes, uri: `data:application/octet-stream;base64,${btoa('\0'.repeat(bytes))}` }],
    bufferViews: [{ buffer: 0, byteLength: bytes }],
  });
  /** The head of a picture of 8192 × 8192. */
  const HUGE_PNG = btoa(
    String.fromCharCode(0x89, 0x50, 0x4e, 0x47, 13, 10, 26, 10, 0, 0, 0, 13, 73, 72, 68, 82, 0, 0, 32, 0, 0, 0, 32, 0),
  );

  it.each<[string, Uint8Array, RegExp]>([
    ['empty', new Uint8Array(0), /empty/],
    ['short', new Uint8Array(7), /7 bytes/],
    ['text', new TextEncoder().encode('{"asset":{"version":"2.0"}}   '), /text file/],
    ['foreign', new TextEncoder().encode('PK this is a zip file, not a scene'), /not a \.glb/],
    ['old', text({ asset }, { version: 1 }), /version 1/],
    ['cut short', text({ asset }, { length: 9000 }), /cut short/],
    ['damaged JSON', text('{"asset":'), /damaged/],
    ['without an asset', text({}), /asset/],
    ['without a mesh', text({ asset, scenes: [{}] }), /no mesh/],
    ['with outside files', text({ asset, buffers: [{ byteLength: 4, uri: '../../etc/passwd' }] }), /another file/],
    ['with a lying buffer', text({ asset, buffers: [{ byteLength: 1e9 }] }), /longer than the file/],
    [
      'with a view too long',
      text({
        asset,
        buffers: [{ byteLength: 4, uri: 'data:application/octet-stream;base64,AAAAAA==' }],
        bufferViews: [{ buffer: 0, byteLength: 400 }],
      }),
      /beyond its buffer/,
    ],
    ['with huge accessors', text({ asset, accessors: [{ type: 'MAT4', componentType: 5126, count: 1e8 }] }), /million/],
    [
      'with accessors without data',
      text({ asset, accessors: [{ type: 'VEC3', componentType: 5126, count: 19_000_000 }] }),
      /accessor 0 asks for 19000000 elements without data, more than 4 million/,
    ],
    [
      'with a sparse count of its own',
      text({
        asset,
        accessors: [{ type: 'SCALAR', componentType: 5126, count: 4, sparse: { ...sparse, count: 4e9 } }],
      }),
      /accessor 0 replaces 4000000000 of its 4 elements/,
    ],
    [
      'with sparse data that is nowhere',
      text({ asset, accessors: [{ type: 'SCALAR', componentType: 5126, count: 4, sparse }] }),
      /accessor 0: sparse\.indices asks for bufferView 7/,
    ],
    [
      'with too many triangles',
      text({
        asset,
        ...inline(3600),
        accessors: [{ bufferView: 0, type: 'VEC3', componentType: 5126, count: 300 }],
        meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
        nodes: Array.from({ length: 150_000 }, () => ({ mesh: 0 })),
      }),
      /its 150000 objects have 15\.0 million triangles in all, more than 12\.0 million/,
    ],
    [
      'with too many pixels',
      text({ asset, images: Array.from({ length: 25 }, () => ({ uri: `data:image/png;base64,${HUGE_PNG}` })) }),
      /its 25 pictures have 1678 million pixels in all, more than 1611 million/,
    ],
    ['with a colour that is none', text({ asset, materials: [{ emissiveFactor: 5 }] }), /materials\.0\.emissiveFactor/],
    [
      'with a colour of two',
      text({ asset, materials: [{}, { pbrMetallicRoughness: { baseColorFactor: [1, 1] } }] }),
      /materials\.1\.pbrMetallicRoughness\.baseColorFactor/,
    ],
    ['with a mesh that is not there', text({ asset, nodes: [{ mesh: 3 }] }), /node 0 asks for mesh 3/],
    [
      'with corners that are not there',
      text({ asset, meshes: [{ primitives: [{ attributes: { POSITION: 2 } }] }] }),
      /POSITION of part 0 of mesh 0 asks for accessor 2/,
    ],
    ['with a loop of nodes', text({ asset, nodes: [{ children: [1] }, { children: [0] }] }), /loop/],
    ['with two parents', text({ asset, nodes: [{ children: [2] }, { children: [2] }, {}] }), /two parents/],
  ])('%s are refused with one line', async (_name, bytes, expected) => {
    const error = (await readGlb(bytes, 'bad.glb').catch((e: unknown) => e)) as Error;
    expect(error).toBeInstanceOf(DaxelError);
    expect(error.message).toMatch(/^bad\.glb: /);
    expect(error.message).toMatch(expected);
    expect(error.message).not.toContain('\n');
  });

  it('made by putting anything into their structure never say what only a program understands', async () => {
    const good = await writeGlb(sample());
    const view = new DataView(good.buffer, good.byteOffset);
    const length = view.getUint32(12, true);
    const json = new TextDecoder().decode(good.subarray(20, 20 + length));
    const rest = good.subarray(20 + length);
    const junk = fc.constantFrom<unknown>(
      null,
      0,
      -1,
      1.5,
      1e12,
      '',
      'x',
      [],
      {},
      [1],
      [null],
      true,
      '\u0000',
      '\ud800',
    );
    await fc.assert(
      fc.asyncProperty(fc.array(fc.tuple(fc.nat(), junk), { minLength: 1, maxLength: 3 }), async (changes) => {
        const tree = JSON.parse(json) as object;
        for (const [nth, value] of changes) {
          const places = placesIn(tree);
          const [holder, key] = places[nth % places.length];
          holder[key] = value;
        }
        const body = new TextEncoder().encode(JSON.stringify(tree));
        const padded = Math.ceil(body.length / 4) * 4;
        const bytes = new Uint8Array(20 + padded + rest.length).fill(32, 20);
        bytes.set(good.subarray(0, 20));
        bytes.set(body, 20);
        bytes.set(rest, 20 + padded);
        const head = new DataView(bytes.buffer);
        head.setUint32(8, bytes.length, true);
        head.setUint32(12, padded, true);
        try {
          compileScene(await readGlb(bytes, 'fuzz.glb'));
        } catch (error) {
          expect(error).toBeInstanceOf(DaxelError);
          expect((error as Error).message).toMatch(/^fuzz\.glb: .{5,390}$/);
          expect((error as Error).message).not.toMatch(
            /iterable|undefined|out of bounds|cannot read|not a function|array length|null|NaN|\[object/i,
          );
        }
      }),
      { numRuns: cases(1500) },
    );
  }, 120_000);

  it('made by changing bytes at random never do anything but render or be refused', async () => {
    const good = await writeGlb(sample());
    const before = process.memoryUsage().rss;
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.nat(good.length - 1), fc.nat(255)), { minLength: 1, maxLength: 12 }),
        fc.option(fc.nat(good.length), { nil: undefined }),
        async (changes, cut) => {
          const bytes = good.slice(0, cut);
          for (const [at, value] of changes) if (at < bytes.length) bytes[at] = value;
          try {
            compileScene(await readGlb(bytes, 'fuzz.glb'));
          } catch (error) {
            if (!(error instanceof DaxelError)) throw error;
            expect(error.message.length).toBeLessThan(400);
          }
        },
      ),
      { numRuns: cases(1200) },
    );
    expect(process.memoryUsage().rss - before).toBeLessThan(1e9);
  }, 120_000);
});

/** Every place of a tree: who holds it, and under which key. */
function placesIn(tree: object): [Record<string, unknown>, string][] {
  const holder = tree as Record<string, unknown>;
  return Object.keys(holder).flatMap((key) => {
    const value = holder[key];
    const below = typeof value === 'object' && value !== null ? placesIn(value) : [];
    return [[holder, key] as [Record<string, unknown>, string], ...below];
  });
}
