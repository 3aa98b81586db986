/** glTF 2.0 binary → SceneSource, through @gltf-transform. */
import { type Accessor, type Document, Logger, type Node, type Primitive, WebIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS, type Light } from '@gltf-transform/extensions';
import { BadFileError, DaxelError } from '@daxel/core/errors';
import type { InFile } from '@daxel/core/light/surroundings/kind';
import { SRGB8_TO_LINEAR } from '@daxel/core/math/color';
import {
  DEFAULT_OPTICS,
  emptyScene,
  type CameraSource,
  type ChannelSource,
  type EnvironmentPicture,
  type ImageSource,
  type LightSource,
  type PrimitiveSource,
  type SceneSource,
  type ShotOptics,
} from '@daxel/core/scene/source';
import { drawnWhite } from '@daxel/core/scene/flattenTextures';
import type { z } from 'zod';
import { lazyImage } from '../image/decodeImage';
import type { Inflate } from '../inflate';
import { whyNot } from '../whyNot';
import { checkGlb, issueInWords } from './checkGlb';
import { MOST_SPARKS } from '@daxel/core/scene/randomParts';
import { KNOWN_NODE_KEYS, KNOWN_SCENE_KEYS, LATER_KEYS, nodeExtras, portalExtras, sceneExtras } from './daxelExtras';
import { shortName, shortNote } from './names';
import { readMaterial } from './readMaterial';

/** What unpacks parts of a file, handed in because it is another in each place. */
export interface Unpackers {
  /** Of compressed geometry, as @gltf-transform names them. */
  decoders?: Record<string, unknown>;
  inflate?: Inflate;
}

/**
 * Pictures are unpacked when their pixels are asked for: they hold on to `bytes` until then.
 * @param file named in errors
 * @throws BadFileError with the place and the remedy
 */
export async function readGlb(bytes: Uint8Array, file: string, unpackers: Unpackers = {}): Promise<SceneSource> {
  checkGlb(bytes, file);
  let document: Document;
  try {
    const io = new WebIO().registerExtensions(ALL_EXTENSIONS).registerDependencies(unpackers.decoders ?? {});
    io.setLogger(new Logger(Logger.Verbosity.SILENT));
    document = await io.readBinary(bytes);
    shortenNames(document);
  } catch (error) {
    throw new BadFileError(file, `it cannot be read (${whyNot(error, NO_GLTF)})`, 'Export the scene again as .glb.');
  }
  const reader = new SceneReader(document, file, unpackers.inflate);
  try {
    const scene = reader.read();
    return { ...scene, warnings: scene.warnings.map(shortNote) };
  } catch (error) {
    if (error instanceof DaxelError) throw error;
    throw new BadFileError(file, `${reader.place}: ${whyNot(error, NO_GLTF)}`, 'Export the scene again as .glb.');
  }
}

function shortenNames(document: Document): void {
  const root = document.getRoot();
  const named = [root.listNodes(), root.listCameras(), root.listMeshes(), root.listMaterials(), root.listTextures()];
  for (const one of [...named.flat(), ...root.listScenes(), ...root.listAnimations()])
    one.setName(shortName(one.getName()));
}

const NO_GLTF = 'a value does not follow glTF 2.0';

class SceneReader {
  /** What is being read, for errors. */
  place = 'the file';
  private readonly scene: SceneSource;
  private readonly nodeIndex = new Map<Node, number>();
  private readonly areaNodes: { parent: SceneSource['nodes'][number]; light: number }[] = [];
  private readonly unknown = new Set<string>();

  constructor(
    private readonly document: Document,
    private readonly file: string,
    private readonly inflate?: Inflate,
  ) {
    this.scene = emptyScene(file);
  }

  read(): SceneSource {
    const { scene } = this;
    const root = this.document.getRoot();
    this.readImages();
    const textures = root.listTextures();
    scene.materials = root.listMaterials().map((m, i) => {
      this.place = `material ${i}`;
      return readMaterial(m, textures, scene.warnings);
    });
    this.readMeshes();
    this.readNodes();
    this.readAnimations();
    this.readSceneExtras();
    if (root.listSkins().length > 0)
      scene.warnings.push('Skinned meshes are drawn in their rest pose: skins are not read yet.');
    if (scene.meshes.length === 0)
      throw new BadFileError(this.file, 'it contains no mesh', 'Export the geometry with the scene.');
    if (this.unknown.size > 0)
      scene.warnings.push(`Not understood and ignored: ${[...this.unknown].sort().join(', ')}.`);
    return scene;
  }

  private readImages(): void {
    this.document
      .getRoot()
      .listTextures()
      .forEach((texture, i) => {
        const name = texture.getName() || texture.getURI() || `picture ${i}`;
        const data = texture.getImage();
        try {
          if (!data) throw new BadFileError(name, 'the picture is missing', 'Export with textures inside.');
          this.scene.images.push(lazyImage(data, name, this.inflate));
        } catch (error) {
          this.scene.warnings.push(drawnWhite(error as Error));
          this.scene.images.push({ name, width: 1, height: 1, pixels: Uint8Array.of(255, 255, 255, 255) });
        }
      });
  }

  private readMeshes(): void {
    const materials = this.document.getRoot().listMaterials();
    let others = 0;
    let morphs = 0;
    for (const [i, mesh] of this.document.getRoot().listMeshes().entries()) {
      this.place = `mesh ${i}`;
      const primitives: PrimitiveSource[] = [];
      for (const p of mesh.listPrimitives()) {
        const triangles = readPrimitive(p);
        if (!triangles) {
          others++;
          continue;
        }
        if (p.listTargets().length > 0) morphs++;
        const material = p.getMaterial();
        primitives.push({ ...triangles, material: material ? materials.indexOf(material) : -1 });
      }
      this.scene.meshes.push({ name: mesh.getName() || `mesh ${this.scene.meshes.length}`, primitives });
    }
    if (others > 0) this.scene.warnings.push(`${others} parts made of points or lines are not drawn.`);
    if (morphs > 0) this.scene.warnings.push(`${morphs} morphing parts are drawn in their rest shape.`);
  }

  private readNodes(): void {
    const root = this.document.getRoot();
    const scene = root.getDefaultScene() ?? root.listScenes()[0];
    if (!scene) throw new BadFileError(this.file, 'it contains no scene', 'Export the scene again as .glb.');
    const meshes = root.listMeshes();
    const visit = (node: Node, parent: number): void => {
      const index = this.scene.nodes.length;
      this.nodeIndex.set(node, index);
      this.place = `node "${node.getName()}"`;
      const mesh = node.getMesh();
      const camera = node.getCamera();
      const light = node.getExtension<Light>('KHR_lights_punctual');
      const extras = this.extrasOf(node.getExtras(), nodeExtras, KNOWN_NODE_KEYS, `node "${node.getName()}"`);
      const source: SceneSource['nodes'][number] = {
        name: node.getName(),
        parent,
        translation: node.getTranslation(),
        rotation: node.getRotation(),
        scale: node.getScale(),
      };
      if (![...source.translation, ...source.rotation, ...source.scale].every(Number.isFinite))
        throw new BadFileError(
          this.file,
          `node "${node.getName()}" has a position, rotation or scale that is not a finite number`,
          'Repair or delete that node and export again.',
        );
      if (mesh) source.mesh = meshes.indexOf(mesh);
      if (camera) {
        source.camera = this.scene.cameras.length;
        this.scene.cameras.push(readCamera(node, camera));
      }
      if (light) {
        source.light = this.scene.lights.length;
        this.scene.lights.push(readLight(node, light, extras));
      }
      if (extras?.areaLight) this.addAreaLight(source, extras);
      if (extras?.portal) this.addPortal(source, extras.portal);
      if (extras?.sway) source.sway = extras.sway;
      if (extras?.drawClass) source.drawClass = extras.drawClass;
      if (extras?.sparks) {
        source.sparks = extras.sparks;
        if (extras.sparks.perSecond * extras.sparks.life > MOST_SPARKS)
          this.scene.warnings.push(
            `Node "${node.getName()}" throws more than ${MOST_SPARKS} sparks at once: fewer are shown.`,
          );
      }
      this.scene.nodes.push(source);
      for (const child of node.listChildren()) visit(child, index);
    };
    for (const node of scene.listChildren()) visit(node, -1);
    for (const { parent, light } of this.areaNodes) {
      this.scene.nodes.push({
        name: `${parent.name} face`,
        parent: this.scene.nodes.indexOf(parent),
        translation: [0, 0, 0],
        rotation: [0, 0, 0, 1],
        scale: [1, 1, 1],
        light,
      });
    }
  }

  /** A node with a punctual light already gets its area light on a child of its own. */
  private addAreaLight(node: SceneSource['nodes'][number], extras: z.infer<typeof nodeExtras>): void {
    const area = extras.areaLight!;
    const height = area.height ?? area.width;
    if (!(area.width > 0 && height > 0)) {
      this.scene.warnings.push(`The area light of node "${node.name}" has no area; it gives no light.`);
      return;
    }
    const index = this.scene.lights.length;
    this.scene.lights.push({
      name: node.name || 'area light',
      kind: 'area',
      color: area.color,
      intensity: area.luminance,
      range: Infinity,
      innerConeRad: 0,
      outerConeRad: Math.PI / 4,
      castsShadow: extras.castsShadow ?? true,
      radius: 0,
      angularDiameterRad: 0,
      shape: area.shape,
      width: area.width,
      height,
      twoSided: area.twoSided,
    });
    if (node.light === undefined) node.light = index;
    else this.areaNodes.push({ parent: node, light: index });
  }

  private addPortal(node: SceneSource['nodes'][number], portal: z.infer<typeof portalExtras>): void {
    const { width, height = width } = portal;
    if (width > 0 && height > 0) node.portal = { width, height };
    else this.scene.warnings.push(`The portal of node "${node.name}" has no area; it guides no light.`);
  }

  private readAnimations(): void {
    for (const [i, animation] of this.document.getRoot().listAnimations().entries()) {
      this.place = `animation ${i}`;
      for (const channel of animation.listChannels()) {
        const node = channel.getTargetNode();
        const sampler = channel.getSampler();
        const path = channel.getTargetPath();
        const times = sampler?.getInput();
        const values = sampler?.getOutput();
        const index = node ? this.nodeIndex.get(node) : undefined;
        if (index === undefined || !sampler || !times || !values || path === 'weights' || path === null) continue;
        const interpolation = { LINEAR: 'linear', STEP: 'step', CUBICSPLINE: 'cubic' } as const;
        const source: ChannelSource = {
          node: index,
          path,
          interpolation: interpolation[sampler.getInterpolation()] ?? 'linear',
          times: floats(times),
          values: floats(values),
        };
        if (source.times.length > 0) this.scene.animations.push(source);
      }
    }
  }

  private readSceneExtras(): void {
    const root = this.document.getRoot();
    const scene = root.getDefaultScene() ?? root.listScenes()[0];
    this.place = 'the scene';
    const extras = this.extrasOf(scene.getExtras(), sceneExtras, KNOWN_SCENE_KEYS, this.place);
    const { environment, image }: Partial<InFile> = extras?.environment ?? {};
    const picture = image === undefined ? undefined : this.scene.images[image];
    if (picture) this.scene.environmentPicture = linearPicture(picture);
    if (image === undefined || picture) this.scene.environment = environment ?? null;
    else this.scene.warnings.push(`The environment asks for picture ${image}, which does not exist.`);
    for (const shot of extras?.shots ?? []) {
      const cameraNode = this.scene.nodes.findIndex((n) => n.name === shot.camera && n.camera !== undefined);
      if (cameraNode < 0) {
        this.scene.warnings.push(`Shot "${shot.name}" asks for the camera "${shot.camera}", which does not exist.`);
        continue;
      }
      const { name, frames, rate, seed, camera: _node, take, path, ...own } = shot;
      const optics: ShotOptics = { ...DEFAULT_OPTICS, ...own };
      const [firstFrame, lastFrame] = frames;
      this.scene.shots.push({ name, cameraNode, firstFrame, lastFrame, rate, seed, optics, take, path });
    }
  }

  /** The `daxel` part of extras; what is not known is collected, what is wrong is an error. */
  private extrasOf<T>(extras: Record<string, unknown>, schema: z.ZodType<T>, known: string[], place: string): T | null {
    const own = extras.daxel;
    if (own === undefined) return null;
    const parsed = schema.safeParse(own);
    if (!parsed.success) {
      const problem = issueInWords(parsed.error.issues[0], 'all of it');
      throw new BadFileError(this.file, `extras.daxel of ${place}: ${problem}`, 'See docs/file-format.md.');
    }
    for (const key of Object.keys(own as object)) {
      if (LATER_KEYS.includes(key)) this.unknown.add(`extras.daxel.${key} (not rendered by this version)`);
      else if (!known.includes(key)) this.unknown.add(`extras.daxel.${key}`);
    }
    return parsed.data;
  }
}

const TRIANGLES = 4;
const TRIANGLE_STRIP = 5;
const TRIANGLE_FAN = 6;

function readPrimitive(p: Primitive): Omit<PrimitiveSource, 'material'> | null {
  const position = p.getAttribute('POSITION');
  const mode: number = p.getMode();
  if (!position || mode < TRIANGLES) return null;
  const positions = floats(position);
  const normal = p.getAttribute('NORMAL');
  const tangent = p.getAttribute('TANGENT');
  const uv = p.getAttribute('TEXCOORD_0');
  const color = p.getAttribute('COLOR_0');
  const same = (a: Accessor | null): a is Accessor => a !== null && a.getCount() === position.getCount();
  const order = p.getIndices()
    ? Uint32Array.from(p.getIndices()!.getArray() ?? [])
    : Uint32Array.from({ length: position.getCount() }, (_, i) => i);
  return {
    positions,
    normals: same(normal) ? finiteOr(floats(normal), 0) : undefined,
    tangents: same(tangent) ? finiteOr(floats(tangent), 0) : undefined,
    uvs: same(uv) ? finiteOr(floats(uv), 0) : undefined,
    colors: same(color) ? rgba(finiteOr(floats(color), 1), color.getElementSize()) : undefined,
    indices: mode === TRIANGLES ? order : unroll(order, mode),
  };
}

/** Strips and fans as single triangles. */
function unroll(order: Uint32Array, mode: number): Uint32Array {
  const triangles = Math.max(0, order.length - 2);
  const out = new Uint32Array(triangles * 3);
  for (let t = 0; t < triangles; t++) {
    const odd = mode === TRIANGLE_STRIP && (t & 1) === 1;
    const corners = mode === TRIANGLE_FAN ? [0, t + 1, t + 2] : odd ? [t + 1, t, t + 2] : [t, t + 1, t + 2];
    out.set(
      corners.map((c) => order[c]),
      t * 3,
    );
  }
  return out;
}

/** All numbers of an accessor as floats, normalised integers decoded. */
function floats(accessor: Accessor): Float32Array {
  const size = accessor.getElementSize();
  const array = accessor.getArray();
  if (array instanceof Float32Array) return array;
  const out = new Float32Array(accessor.getCount() * size);
  const element: number[] = [];
  for (let i = 0; i < accessor.getCount(); i++) out.set(accessor.getElement(i, element).slice(0, size), i * size);
  return out;
}

function finiteOr(values: Float32Array, fallback: number): Float32Array {
  return values.every(Number.isFinite) ? values : values.map((v) => (Number.isFinite(v) ? v : fallback));
}

function rgba(values: Float32Array, size: number): Float32Array {
  if (size === 4) return values;
  const count = values.length / 3;
  const out = new Float32Array(count * 4).fill(1);
  for (let i = 0; i < count; i++) out.set(values.subarray(i * 3, i * 3 + 3), i * 4);
  return out;
}

function readCamera(node: Node, camera: NonNullable<ReturnType<Node['getCamera']>>): CameraSource {
  const perspective = camera.getType() === 'perspective';
  return {
    name: node.getName() || camera.getName(),
    kind: perspective ? 'perspective' : 'orthographic',
    yfovRad: Math.min(3, Math.max(0.01, camera.getYFov() || 0.8)),
    ymag: Math.abs(camera.getYMag()) || 1,
    near: Math.max(1e-4, camera.getZNear() || 0.01),
  };
}

/** An 8-bit picture as light: sRGB codes made linear, white is one nit at strength 1. */
function linearPicture({ width, height, pixels }: ImageSource): EnvironmentPicture {
  const rgb = new Float32Array(width * height * 3);
  for (let i = 0, o = 0; i < pixels.length; i += 4, o += 3)
    for (let c = 0; c < 3; c++) rgb[o + c] = SRGB8_TO_LINEAR[pixels[i + c]];
  return { width, height, rgb };
}

function readLight(node: Node, light: Light, extras: z.infer<typeof nodeExtras> | null): LightSource {
  const type = light.getType();
  const range = light.getRange();
  return {
    name: node.getName() || light.getName() || type,
    kind: type === 'directional' ? 'sun' : type === 'spot' ? 'spot' : 'point',
    color: light.getColor(),
    intensity: light.getIntensity(),
    range: range !== null && range > 0 ? range : Infinity,
    innerConeRad: light.getInnerConeAngle(),
    outerConeRad: light.getOuterConeAngle(),
    castsShadow: extras?.castsShadow ?? true,
    radius: extras?.radius ?? 0,
    angularDiameterRad: ((extras?.angularDiameterDeg ?? 0) * Math.PI) / 180,
  };
}
