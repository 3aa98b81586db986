/** SceneSource → glTF 2.0 binary, with Daxel's additions in `extras.daxel`. */
import { Document, type Material, type Texture, WebIO } from '@gltf-transform/core';
import {
  ALL_EXTENSIONS,
  KHRLightsPunctual,
  KHRMaterialsEmissiveStrength,
  KHRMaterialsIOR,
  KHRMaterialsSpecular,
  KHRMaterialsTransmission,
  KHRMaterialsVolume,
} from '@gltf-transform/extensions';
import { encode as encodePng } from 'fast-png';
import { kindOf } from '@daxel/core/light/surroundings/kinds';
import type { ImageSource, LightSource, MaterialSource, SceneSource, TextureUse, Wrap } from '@daxel/core/scene/source';

const WRAPS = { repeat: 10497, mirror: 33648, clamp: 33071 } as const satisfies Record<Wrap, number>;
const MODES = { opaque: 'OPAQUE', mask: 'MASK', blend: 'BLEND' } as const;

/** Texture transforms are not written: builders put them into their uvs. */
export async function writeGlb(scene: SceneSource): Promise<Uint8Array> {
  const doc = new Document();
  const buffer = doc.createBuffer();
  const textures = scene.images.map((i) => writeImage(doc, i));
  const materials = scene.materials.map((m) => writeMaterial(doc, m, textures));
  const meshes = scene.meshes.map((mesh) => {
    const out = doc.createMesh(mesh.name);
    for (const p of mesh.primitives) {
      const accessor = (array: Float32Array | Uint32Array | Uint16Array, type: 'VEC2' | 'VEC3' | 'VEC4' | 'SCALAR') =>
        doc.createAccessor().setType(type).setArray(array).setBuffer(buffer);
      const primitive = doc.createPrimitive().setAttribute('POSITION', accessor(p.positions, 'VEC3'));
      if (p.normals) primitive.setAttribute('NORMAL', accessor(p.normals, 'VEC3'));
      if (p.tangents) primitive.setAttribute('TANGENT', accessor(p.tangents, 'VEC4'));
      if (p.uvs) primitive.setAttribute('TEXCOORD_0', accessor(p.uvs, 'VEC2'));
      if (p.colors) primitive.setAttribute('COLOR_0', accessor(p.colors, 'VEC4'));
      const small = p.positions.length / 3 < 65535;
      primitive.setIndices(accessor(small ? Uint16Array.from(p.indices) : p.indices, 'SCALAR'));
      if (p.material >= 0) primitive.setMaterial(materials[p.material]);
      out.addPrimitive(primitive);
    }
    return out;
  });
  const gltfScene = doc.createScene(scene.name);
  doc.getRoot().setDefaultScene(gltfScene);
  const nodes = scene.nodes.map((n) => {
    const node = doc.createNode(n.name).setTranslation(n.translation).setRotation(n.rotation).setScale(n.scale);
    if (n.mesh !== undefined) node.setMesh(meshes[n.mesh]);
    if (n.camera !== undefined) {
      const c = scene.cameras[n.camera];
      const camera = doc.createCamera(c.name).setZNear(c.near);
      if (c.kind === 'perspective') camera.setType('perspective').setYFov(c.yfovRad);
      else camera.setType('orthographic').setXMag(c.ymag).setYMag(c.ymag).setZFar(1000);
      node.setCamera(camera);
    }
    const { portal, sway, sparks, drawClass } = n;
    const own = {
      ...(portal && { portal }),
      ...(sway && { sway }),
      ...(sparks && { sparks }),
      ...(drawClass && { drawClass }),
    };
    if (Object.keys(own).length > 0) node.setExtras({ daxel: own });
    if (n.light !== undefined) {
      const light = scene.lights[n.light];
      if (light.kind !== 'area') node.setExtension('KHR_lights_punctual', writeLight(doc, light, light.kind));
      const extras = {
        ...own,
        ...(light.radius > 0 && { radius: light.radius }),
        ...(light.angularDiameterRad > 0 && { angularDiameterDeg: (light.angularDiameterRad * 180) / Math.PI }),
        ...(light.kind === 'area' && { areaLight: areaExtras(light) }),
        ...(!light.castsShadow && { castsShadow: false }),
      };
      if (Object.keys(extras).length > 0) node.setExtras({ daxel: extras });
    }
    return node;
  });
  scene.nodes.forEach((n, i) => (n.parent < 0 ? gltfScene.addChild(nodes[i]) : nodes[n.parent].addChild(nodes[i])));
  writeAnimations(doc, scene, nodes);
  gltfScene.setExtras({ daxel: sceneExtras(scene) });
  return new WebIO().registerExtensions(ALL_EXTENSIONS).writeBinary(doc);
}

function writeImage(doc: Document, image: ImageSource): Texture {
  const { pixels } = image;
  let opaque = true;
  for (let i = 3; i < pixels.length && opaque; i += 4) opaque = pixels[i] === 255;
  let data = pixels;
  if (opaque) {
    data = new Uint8Array(image.width * image.height * 3);
    for (let i = 0, o = 0; i < pixels.length; i += 4, o += 3) {
      data[o] = pixels[i];
      data[o + 1] = pixels[i + 1];
      data[o + 2] = pixels[i + 2];
    }
  }
  const png = encodePng({ width: image.width, height: image.height, data, channels: opaque ? 3 : 4, depth: 8 });
  return doc
    .createTexture(image.name)
    .setMimeType('image/png')
    .setImage(png as Uint8Array<ArrayBuffer>);
}

function writeMaterial(doc: Document, m: MaterialSource, textures: Texture[]): Material {
  const out = doc
    .createMaterial(m.name)
    .setBaseColorFactor(m.baseColor)
    .setMetallicFactor(m.metallic)
    .setRoughnessFactor(m.roughness)
    .setNormalScale(m.normalScale)
    .setOcclusionStrength(m.occlusionStrength)
    .setAlphaMode(MODES[m.alphaMode])
    .setAlphaCutoff(m.alphaCutoff)
    .setDoubleSided(m.doubleSided);
  const texture = (use: TextureUse | undefined): Texture | null => (use ? textures[use.image] : null);
  out.setBaseColorTexture(texture(m.baseColorTexture));
  out.setMetallicRoughnessTexture(texture(m.metallicRoughnessTexture));
  out.setNormalTexture(texture(m.normalTexture));
  out.setOcclusionTexture(texture(m.occlusionTexture));
  out.setEmissiveTexture(texture(m.emissiveTexture));
  const infos = [
    [m.baseColorTexture, out.getBaseColorTextureInfo()],
    [m.metallicRoughnessTexture, out.getMetallicRoughnessTextureInfo()],
    [m.normalTexture, out.getNormalTextureInfo()],
    [m.occlusionTexture, out.getOcclusionTextureInfo()],
    [m.emissiveTexture, out.getEmissiveTextureInfo()],
  ] as const;
  for (const [use, info] of infos) if (use && info) info.setWrapS(WRAPS[use.wrapS]).setWrapT(WRAPS[use.wrapT]);
  const strength = Math.max(1, ...m.emissive);
  out.setEmissiveFactor(m.emissive.map((e) => e / strength) as [number, number, number]);
  if (strength > 1) {
    const extension = doc.createExtension(KHRMaterialsEmissiveStrength).createEmissiveStrength();
    out.setExtension('KHR_materials_emissive_strength', extension.setEmissiveStrength(strength));
  }
  if (m.transmission > 0) {
    const extension = doc.createExtension(KHRMaterialsTransmission).createTransmission();
    out.setExtension('KHR_materials_transmission', extension.setTransmissionFactor(m.transmission));
  }
  if (m.thickness > 0) {
    const volume = doc.createExtension(KHRMaterialsVolume).createVolume();
    volume.setThicknessFactor(m.thickness).setAttenuationColor(m.attenuationColor);
    if (m.attenuationDistance !== Infinity) volume.setAttenuationDistance(m.attenuationDistance);
    out.setExtension('KHR_materials_volume', volume);
  }
  if (m.ior !== 1.5)
    out.setExtension('KHR_materials_ior', doc.createExtension(KHRMaterialsIOR).createIOR().setIOR(m.ior));
  if (m.specular !== 1 || m.specularColor.some((c) => c !== 1)) {
    const specular = doc.createExtension(KHRMaterialsSpecular).createSpecular();
    specular.setSpecularFactor(m.specular).setSpecularColorFactor(m.specularColor);
    out.setExtension('KHR_materials_specular', specular);
  }
  return out;
}

function areaExtras({ shape, width, height, intensity, color, twoSided }: LightSource) {
  return { shape, width, height, luminance: intensity, color, twoSided };
}

function writeLight(doc: Document, light: LightSource, type: 'sun' | 'point' | 'spot') {
  const kind = { sun: 'directional', point: 'point', spot: 'spot' } as const;
  const out = doc.createExtension(KHRLightsPunctual).createLight(light.name).setType(kind[type]);
  out.setColor(light.color).setIntensity(light.intensity);
  if (Number.isFinite(light.range)) out.setRange(light.range);
  if (light.kind === 'spot') out.setInnerConeAngle(light.innerConeRad).setOuterConeAngle(light.outerConeRad);
  return out;
}

function writeAnimations(doc: Document, scene: SceneSource, nodes: ReturnType<Document['createNode']>[]): void {
  if (scene.animations.length === 0) return;
  const animation = doc.createAnimation('shot');
  const buffer = doc.getRoot().listBuffers()[0];
  const interpolation = { linear: 'LINEAR', step: 'STEP', cubic: 'CUBICSPLINE' } as const;
  for (const c of scene.animations) {
    const sampler = doc
      .createAnimationSampler()
      .setInterpolation(interpolation[c.interpolation])
      .setInput(doc.createAccessor().setType('SCALAR').setArray(c.times).setBuffer(buffer))
      .setOutput(
        doc
          .createAccessor()
          .setType(c.path === 'rotation' ? 'VEC4' : 'VEC3')
          .setArray(c.values)
          .setBuffer(buffer),
      );
    const channel = doc.createAnimationChannel().setTargetNode(nodes[c.node]).setTargetPath(c.path).setSampler(sampler);
    animation.addSampler(sampler).addChannel(channel);
  }
}

function sceneExtras(scene: SceneSource): Record<string, unknown> {
  const shots = scene.shots.map((s) => ({
    name: s.name,
    camera: scene.nodes[s.cameraNode].name,
    frames: [s.firstFrame, s.lastFrame],
    rate: s.rate,
    seed: s.seed,
    take: s.take,
    path: s.path,
    ...(s.optics && Object.fromEntries(Object.entries(s.optics).filter(([, v]) => v !== null))),
  }));
  const e = scene.environment;
  const environment = e && kindOf(e).toFile(e);
  return JSON.parse(JSON.stringify({ environment: environment || undefined, shots })) as Record<string, unknown>;
}
