import { Document, WebIO } from '@gltf-transform/core';
import {
  ALL_EXTENSIONS,
  EXTMeshoptCompression,
  KHRDracoMeshCompression,
  KHRLightsPunctual,
  KHRMeshQuantization,
  KHRTextureTransform,
} from '@gltf-transform/extensions';
import draco3d from 'draco3dgltf';
import { encode } from 'fast-png';
import { MeshoptDecoder, MeshoptEncoder } from 'meshoptimizer';
import { beforeAll, describe, expect, it } from 'vitest';
import { compileScene } from '@daxel/core/scene/compileScene';
import { readGlb } from './readGlb';

/** A square of 20 × 20 cells as other programs may write it. */
function square(doc: Document, cells = 20) {
  const buffer = doc.createBuffer();
  const side = cells + 1;
  const positions = new Float32Array(side * side * 3);
  const normals = new Float32Array(side * side * 3);
  for (let j = 0; j < side; j++)
    for (let i = 0; i < side; i++) {
      positions.set([i / cells - 0.5, 0, j / cells - 0.5], (j * side + i) * 3);
      normals.set([0, 1, 0], (j * side + i) * 3);
    }
  const indices: number[] = [];
  for (let j = 0; j < cells; j++)
    for (let i = 0; i < cells; i++) {
      const a = j * side + i;
      indices.push(a, a + side, a + 1, a + 1, a + side, a + side + 1);
    }
  const accessor = (array: Float32Array | Uint16Array | Int16Array, type: 'VEC3' | 'SCALAR') =>
    doc.createAccessor().setType(type).setArray(array).setBuffer(buffer);
  const primitive = doc
    .createPrimitive()
    .setAttribute('POSITION', accessor(positions, 'VEC3'))
    .setAttribute('NORMAL', accessor(normals, 'VEC3'))
    .setIndices(accessor(Uint16Array.from(indices), 'SCALAR'));
  const mesh = doc.createMesh('square').addPrimitive(primitive);
  const node = doc.createNode('square').setMesh(mesh);
  doc.createScene('first').addChild(node);
  return { buffer, primitive, node, mesh, accessor };
}
const io = (): WebIO => new WebIO().registerExtensions(ALL_EXTENSIONS);
let decoders: Record<string, unknown>;
beforeAll(async () => {
  await Promise.all([MeshoptDecoder.ready, MeshoptEncoder.ready]);
  decoders = {
    'meshopt.decoder': MeshoptDecoder,
    'meshopt.encoder': MeshoptEncoder,
    'draco3d.decoder': await draco3d.createDecoderModule(),
    'draco3d.encoder': await draco3d.createEncoderModule(),
  };
});

const area = (scene: ReturnType<typeof compileScene>): number => {
  let sum = 0;
  const P = scene.positions;
  for (let t = 0; t < scene.triangles.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) => scene.triangles[t + k] * 3);
    const u = [0, 1, 2].map((k) => P[b + k] - P[a + k]);
    const v = [0, 1, 2].map((k) => P[c + k] - P[a + k]);
    sum += Math.hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]) / 2;
  }
  return sum;
};

describe('files of other programs', () => {
  it.each([
    ['Draco', KHRDracoMeshCompression],
    ['meshopt', EXTMeshoptCompression],
  ])('compressed by %s are read', async (_name, extension) => {
    const doc = new Document();
    square(doc);
    doc.createExtension(extension as typeof KHRDracoMeshCompression).setRequired(true);
    const bytes = await io().registerDependencies(decoders).writeBinary(doc);
    const scene = compileScene(await readGlb(bytes, 'small.glb', { decoders }));
    expect(area(scene)).toBeCloseTo(1, 2);
  });

  it('with quantised positions are read at their true size', async () => {
    const doc = new Document();
    const { primitive, node, accessor } = square(doc);
    doc.createExtension(KHRMeshQuantization).setRequired(true);
    const source = primitive.getAttribute('POSITION')!.getArray() as Float32Array;
    primitive.setAttribute(
      'POSITION',
      accessor(
        Int16Array.from(source, (v) => Math.round(v * 2 * 32767)),
        'VEC3',
      ).setNormalized(true),
    );
    node.setScale([0.5, 0.5, 0.5]);
    const source2 = await readGlb(await io().writeBinary(doc), 'q.glb');
    expect(source2.nodes[0].scale).toEqual([0.5, 0.5, 0.5]);
    expect(area(compileScene(source2))).toBeCloseTo(4, 2);
  });

  it.each([
    ['strip', 5, [0, 1, 2, 3]],
    ['fan', 6, [0, 1, 3, 2]],
  ])('drawn as a %s are unrolled with their faces the right way round', async (_name, mode, order) => {
    const doc = new Document();
    const { primitive, accessor } = square(doc, 1);
    // corners 0 1 / 2 3 of one cell; rows run towards +z
    primitive
      .setMode(mode as 5)
      .setIndices(accessor(Uint16Array.from(order === undefined ? [] : order.map((i) => [0, 2, 1, 3][i])), 'SCALAR'));
    const scene = compileScene(await readGlb(await io().writeBinary(doc), 's.glb'));
    expect(scene.triangles.length).toBe(6);
    expect(area(scene)).toBeCloseTo(1, 6);
    for (let t = 0; t < 6; t += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => scene.triangles[t + k] * 3);
      const P = scene.positions;
      const up = (P[b + 2] - P[a + 2]) * (P[c] - P[a]) - (P[b] - P[a]) * (P[c + 2] - P[a + 2]);
      expect(up).toBeGreaterThan(0);
    }
  });

  it('without normals get those of their faces', async () => {
    const doc = new Document();
    const { primitive } = square(doc);
    primitive.setAttribute('NORMAL', null);
    const scene = compileScene(await readGlb(await io().writeBinary(doc), 'n.glb'));
    for (let v = 0; v < scene.normals.length; v += 3) expect(scene.normals[v + 1]).toBeCloseTo(1, 5);
  });

  it('with points, morphs and skins are told what is left out', async () => {
    const doc = new Document();
    const { primitive, mesh, node, accessor } = square(doc);
    mesh.addPrimitive(doc.createPrimitive().setMode(0).setAttribute('POSITION', primitive.getAttribute('POSITION')));
    primitive.addTarget(
      doc.createPrimitiveTarget().setAttribute('POSITION', accessor(new Float32Array(21 * 21 * 3), 'VEC3')),
    );
    node.setSkin(doc.createSkin().addJoint(doc.createNode('joint')));
    const words = (await readGlb(await io().writeBinary(doc), 'p.glb')).warnings.join(' ');
    expect(words).toMatch(/points or lines/);
    expect(words).toMatch(/morphing/);
    expect(words).toMatch(/[Ss]kin/);
  });

  it('with moved textures keep their transform', async () => {
    const doc = new Document();
    const { primitive } = square(doc);
    const png = encode({ width: 2, height: 2, channels: 3, depth: 8, data: new Uint8Array(12).fill(200) });
    const material = doc.createMaterial('tiled').setBaseColorTexture(
      doc
        .createTexture('t')
        .setMimeType('image/png')
        .setImage(png as Uint8Array<ArrayBuffer>),
    );
    material
      .getBaseColorTextureInfo()!
      .setExtension(
        'KHR_texture_transform',
        doc.createExtension(KHRTextureTransform).createTransform().setScale([4, 2]).setOffset([0.5, 0]),
      );
    primitive.setMaterial(material);
    const use = (await readGlb(await io().writeBinary(doc), 't.glb')).materials[0].baseColorTexture;
    expect(use?.transform?.map((v) => Math.round(v * 1e6) / 1e6 + 0)).toEqual([4, 0, 0.5, 0, 2, 0]);
  });

  it('with lights in their own units keep them', async () => {
    const doc = new Document();
    square(doc);
    const punctual = doc.createExtension(KHRLightsPunctual);
    const lamp = punctual
      .createLight('lamp')
      .setType('spot')
      .setIntensity(120)
      .setColor([1, 0.5, 0.25])
      .setRange(9)
      .setOuterConeAngle(0.6);
    doc.getRoot().listScenes()[0].addChild(doc.createNode('lamp').setExtension('KHR_lights_punctual', lamp));
    const { lights } = await readGlb(await io().writeBinary(doc), 'l.glb');
    expect(lights[0]).toMatchObject({ kind: 'spot', intensity: 120, range: 9, color: [1, 0.5, 0.25] });
  });

  it('with additions that are wrong are refused with their place', async () => {
    for (const [extras, expected] of [
      [{ shots: [{ name: 'a', camera: 'c', frames: [9, 2] }] }, /last frame comes before/],
      [{ environment: { kind: 'picture' } }, /environment/],
      [{ environment: { kind: 'constant', radiance: [1, 2] } }, /radiance/],
    ] as const) {
      const doc = new Document();
      square(doc);
      doc.getRoot().listScenes()[0].setExtras({ daxel: extras });
      await expect(readGlb(await io().writeBinary(doc), 'x.glb')).rejects.toThrow(expected);
    }
  });

  it('with additions that are unknown are read, and told about once', async () => {
    const doc = new Document();
    const { node } = square(doc);
    node.setExtras({ daxel: { glitter: true, medium: { density: 1 } }, other: 'kept out of it' });
    const words = (await readGlb(await io().writeBinary(doc), 'x.glb')).warnings.join(' ');
    expect(words).toContain('glitter');
    expect(words.match(/glitter/g)?.length).toBe(1);
    expect(words).toMatch(/medium/);
  });
});
