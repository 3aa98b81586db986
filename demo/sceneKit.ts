/** Conveniences for building scenes by hand. */
import { rotationOf } from '@daxel/core/scene/compileScene';
import { lookAt } from '@daxel/core/math/mat4';
import {
  DEFAULT_MATERIAL,
  emptyScene,
  type ImageSource,
  type LightSource,
  type MaterialSource,
  type NodeSource,
  type SceneSource,
  type TextureUse,
} from '@daxel/core/scene/source';
import type { EnvironmentSource } from '@daxel/core/light/surroundings/document';
import type { Mesh } from './shapes/mesh';
import type { SurfaceImages } from './textures/surfaces';

export class SceneKit {
  readonly scene: SceneSource;

  constructor(name: string) {
    this.scene = emptyScene(name);
  }

  image(image: ImageSource, wrap: TextureUse['wrapS'] = 'repeat'): TextureUse {
    let index = this.scene.images.indexOf(image);
    if (index < 0) index = this.scene.images.push(image) - 1;
    return { image: index, wrapS: wrap, wrapT: wrap };
  }

  material(name: string, more: Partial<MaterialSource>): number {
    return this.scene.materials.push({ ...DEFAULT_MATERIAL, name, ...more }) - 1;
  }

  /** What a material is that is painted all over. */
  surface(images: SurfaceImages): Partial<MaterialSource> {
    return {
      baseColor: [1, 1, 1, 1],
      baseColorTexture: this.image(images.color),
      metallicRoughnessTexture: this.image(images.data),
      normalTexture: this.image(images.normal),
      roughness: 1,
      metallic: 1,
    };
  }

  node(name: string, more: Partial<NodeSource> = {}): number {
    return (
      this.scene.nodes.push({
        name,
        parent: -1,
        translation: [0, 0, 0],
        rotation: [0, 0, 0, 1],
        scale: [1, 1, 1],
        ...more,
      }) - 1
    );
  }

  /** A node that draws one mesh, at the origin of its parent. */
  object(name: string, mesh: Mesh, material: number, parent = -1): number {
    return this.objectOf(name, [[mesh, material]], parent);
  }

  objectOf(name: string, parts: readonly (readonly [Mesh, number])[], parent = -1): number {
    const mesh = this.scene.meshes.push({ name, primitives: parts.map(([m, i]) => m.primitive(i)) }) - 1;
    return this.node(name, { mesh, parent });
  }

  light(name: string, more: Partial<LightSource>, node: Partial<NodeSource>): number {
    const light =
      this.scene.lights.push({
        name,
        kind: 'point',
        color: [1, 1, 1],
        intensity: 1,
        range: Infinity,
        innerConeRad: 0,
        outerConeRad: Math.PI / 4,
        castsShadow: true,
        radius: 0,
        angularDiameterRad: 0,
        ...more,
      }) - 1;
    return this.node(name, { ...node, light });
  }

  /** A sky that lights, is seen and is mirrored. @param stops from below upwards */
  sky(stops: EnvironmentSource['stops'], glow: EnvironmentSource['glow']): void {
    this.scene.environment = {
      kind: 'gradient',
      stops,
      glow,
      rotationDeg: 0,
      strength: 1,
      seenByCamera: true,
      lightsSurfaces: true,
      seenInReflections: true,
    };
  }

  /** A camera with a shot of the same name. `lensMm` is for a picture 36 mm wide at 16:9. */
  shot(name: string, eye: number[], target: number[], lensMm: number, frames: [number, number]): number {
    const camera =
      this.scene.cameras.push({
        name,
        kind: 'perspective',
        yfovRad: 2 * Math.atan(36 / (16 / 9) / 2 / lensMm),
        ymag: 1,
        near: 0.02,
      }) - 1;
    const m = lookAt(eye, target);
    const node = this.node(`${name} camera`, {
      camera,
      translation: [eye[0], eye[1], eye[2]],
      rotation: rotationOf(m),
    });
    this.scene.shots.push({ name, cameraNode: node, firstFrame: frames[0], lastFrame: frames[1], rate: 24, seed: 7 });
    return node;
  }
}

/** Rotation that turns −Z into a direction: for suns and spots. */
export function shining(direction: readonly [number, number, number]): [number, number, number, number] {
  return rotationOf(lookAt([0, 0, 0], direction));
}
