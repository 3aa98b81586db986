/**
 * A scene as it comes out of a file or a procedural builder: plain records, indices between them, metres, y up,
 * right-handed; cameras and lights look along their node's −Z. `compileScene` turns it into flat arrays.
 */

import type { EnvironmentSource } from '../light/surroundings/document';
import type { FocusOn } from './focus';
import type { CameraPath } from './cameraPath';
import type { DrawClass } from './detail';
import type { ShotTake } from './take';

export interface SceneSource {
  name: string;
  nodes: NodeSource[];
  meshes: MeshSource[];
  materials: MaterialSource[];
  images: ImageSource[];
  lights: LightSource[];
  cameras: CameraSource[];
  animations: ChannelSource[];
  environment: EnvironmentSource | null;
  /** Of an environment of kind 'picture'. */
  environmentPicture?: EnvironmentPicture;
  shots: ShotSource[];
  /** Things the artist should know, one sentence each. */
  warnings: string[];
}

export interface NodeSource {
  name: string;
  /** Index of the parent node, or −1. */
  parent: number;
  translation: [number, number, number];
  /** Unit quaternion xyzw. */
  rotation: [number, number, number, number];
  scale: [number, number, number];
  mesh?: number;
  light?: number;
  camera?: number;
  portal?: PortalSource;
  /** Sways about its own x and z. */
  sway?: SwaySource;
  /** Throws sparks along its −Z. */
  sparks?: SparksSource;
  /** Whose draw distance its mesh has; by size and material when absent. */
  drawClass?: Exclude<DrawClass, 'glowing'>;
}

export interface SwaySource {
  /** Standard deviation of each of the two turns, degrees. */
  angleDeg: number;
  hertz: number;
}

export interface SparksSource {
  perSecond: number;
  /** Of the longest, seconds. */
  life: number;
  /** Of the quickest at birth, metres a second. */
  speed: number;
  /** Half the angle of the cone, degrees. */
  spreadDeg: number;
  /** Downwards, metres a second squared. */
  gravity: number;
  /** Diameter at birth, metres. */
  size: number;
  /** Nit. */
  radiance: [number, number, number];
}

/** A rectangle in an opening, in the node's x and y about its middle; guides paths out, gives no light itself. */
export interface PortalSource {
  /** Metres; the node's scale does not count. */
  width: number;
  height: number;
}
export type PlacedPortal = PortalSource & { node: number };

export interface MeshSource {
  name: string;
  primitives: PrimitiveSource[];
}

/** Triangles of one material. */
export interface PrimitiveSource {
  /** xyz per vertex, object space, metres. */
  positions: Float32Array;
  /** xyz per vertex, unit; made from the faces when absent. */
  normals?: Float32Array;
  /** xyzw per vertex, w the sign of the bitangent; made from the uvs when absent and needed. */
  tangents?: Float32Array;
  /** uv per vertex, v down as in glTF. */
  uvs?: Float32Array;
  /** rgba per vertex, linear, multiplies the base colour. */
  colors?: Float32Array;
  /** Three vertex indices per triangle, counter-clockwise seen from the front. */
  indices: Uint32Array;
  /** Index of the material, or −1 for the plain grey one. */
  material: number;
}

export interface ImageSource {
  name: string;
  width: number;
  height: number;
  /** rgba, 8 bit each, rows from the top. May be unpacked anew at each reading, which throws BadFileError when it is damaged. */
  readonly pixels: Uint8Array;
}

export type Wrap = 'repeat' | 'mirror' | 'clamp';

export interface TextureUse {
  image: number;
  wrapS: Wrap;
  wrapT: Wrap;
  /** uv' = transform · (u, v, 1), two rows of three; identity when absent. */
  transform?: [number, number, number, number, number, number];
}

export interface MaterialSource {
  name: string;
  baseColor: [number, number, number, number];
  baseColorTexture?: TextureUse;
  metallic: number;
  roughness: number;
  /** Roughness in G, metalness in B. */
  metallicRoughnessTexture?: TextureUse;
  normalTexture?: TextureUse;
  normalScale: number;
  /** Ambient occlusion in R: darkens environment light only. */
  occlusionTexture?: TextureUse;
  occlusionStrength: number;
  /** Nit (cd/m²) of a surface whose emissive texture is white. */
  emissive: [number, number, number];
  emissiveTexture?: TextureUse;
  alphaMode: 'opaque' | 'mask' | 'blend';
  alphaCutoff: number;
  doubleSided: boolean;
  /** Share of light that passes into the surface, 0…1. */
  transmission: number;
  ior: number;
  /** Of a solid body of glass, metres; 0 for a thin sheet that light crosses unbent. Path tracing takes the true shape. */
  thickness: number;
  /** Colour that white light has after `attenuationDistance` metres inside. */
  attenuationColor: [number, number, number];
  attenuationDistance: number;
  /** Multiplies the reflectance of dielectrics, 0…1. */
  specular: number;
  specularColor: [number, number, number];
}

export type LightKind = 'sun' | 'point' | 'spot' | 'area';
export type AreaShape = 'rectangle' | 'square' | 'disc' | 'ellipse';
export type ShadowFilter = 'hard' | 'pcf' | 'soft' | 'moment';

/** What one light has otherwise than the recipe says; absent means as the recipe. */
export interface ShadowOverride {
  /** Texels along one side of its map. */
  resolution?: number;
  /** Texels. */
  slopeBias?: number;
  /** Texels. */
  normalOffset?: number;
  filter?: ShadowFilter;
}

export interface LightSource {
  name: string;
  kind: LightKind;
  color: [number, number, number];
  /** Lux for a sun, candela for point and spot, nit (luminance of the face) for an area; may be negative. */
  intensity: number;
  /** Metres beyond which the light is cut; Infinity when absent. */
  range: number;
  innerConeRad: number;
  outerConeRad: number;
  castsShadow: boolean;
  /** Metres (point, spot); shown by emitters, used by soft shadows. */
  radius: number;
  angularDiameterRad: number;
  /** Area lights: the face lies in the node's xy plane and shines along −Z. A square or disc uses the width alone. */
  shape?: AreaShape;
  /** Metres. */
  width?: number;
  height?: number;
  twoSided?: boolean;
  shadow?: ShadowOverride;
}

/** Where a light stands when no node carries it, world space. */
export interface LightPlace {
  position: [number, number, number];
  /** Unit, in which it shines. */
  direction: [number, number, number];
  /** Turns the face of an area light about its direction. */
  rollDeg?: number;
}

/** A light of the scene or of a rig, and what places it: a node (index), or −1 and a place. */
export type PlacedLight = LightSource & { node: number; place?: LightPlace };

/** All light of one frame. */
export interface Lighting {
  lights: PlacedLight[];
  environment: EnvironmentSource;
  /** Scales what glowing meshes send out; 1 where it is absent. */
  glow?: number;
}

export interface CameraSource {
  name: string;
  kind: 'perspective' | 'orthographic';
  /** Vertical field of view. */
  yfovRad: number;
  /** Half of the height of the picture in metres, orthographic only. */
  ymag: number;
  near: number;
}

export interface ChannelSource {
  node: number;
  path: 'translation' | 'rotation' | 'scale';
  interpolation: 'linear' | 'step' | 'cubic';
  /** Seconds, ascending. */
  times: Float32Array;
  /** 3 or 4 numbers a key; three such groups a key when cubic (in-tangent, value, out-tangent). */
  values: Float32Array;
}

/** An equirectangular picture: the middle column looks along −Z, rows from the zenith down. */
export interface EnvironmentPicture {
  width: number;
  height: number;
  /** rgb per pixel, linear; one unit is one nit at strength 1. */
  rgb: Float32Array;
}

export interface ShotSource {
  name: string;
  /** Index of the camera's node. */
  cameraNode: number;
  firstFrame: number;
  lastFrame: number;
  rate: number;
  seed: number;
  /** Shutter and focus; `DEFAULT_OPTICS` when absent. */
  optics?: ShotOptics;
  /** What is random in it; nothing when absent. */
  take?: ShotTake;
  /** Where the camera goes; where its node goes when absent. */
  path?: CameraPath;
}

/** Where in the time the shutter is open the frame's instant lies. */
export type ShutterPhase = 'opens' | 'centred' | 'closes';

/** How a shot's camera takes light in: for how long, and through how wide an opening. */
export interface ShotOptics {
  /** 360 is open for the whole frame. */
  shutterAngleDeg: number;
  shutterPhase: ShutterPhase;
  /** Millimetres, on a picture 36 mm wide at 16:9; null for the camera's own angle of view. */
  focalLength: number | null;
  /** Focal length over diameter of the opening; null for a pinhole, sharp everywhere. */
  fNumber: number | null;
  /** Metres from the camera, along its axis. */
  focusDistance: number;
  /** What stays in focus while it or the camera moves, in place of the distance; absent for none. */
  focusOn?: FocusOn | null;
  /** Straight edges of the opening; 0 for a round one. */
  blades: number;
}

export const DEFAULT_OPTICS: ShotOptics = {
  shutterAngleDeg: 180,
  shutterPhase: 'centred',
  focalLength: null,
  fNumber: null,
  focusDistance: 3,
  blades: 0,
};

export const DEFAULT_MATERIAL: MaterialSource = {
  name: 'plain grey',
  baseColor: [0.5, 0.5, 0.5, 1],
  metallic: 0,
  roughness: 0.6,
  normalScale: 1,
  occlusionStrength: 1,
  emissive: [0, 0, 0],
  alphaMode: 'opaque',
  alphaCutoff: 0.5,
  doubleSided: false,
  transmission: 0,
  ior: 1.5,
  thickness: 0,
  attenuationColor: [1, 1, 1],
  attenuationDistance: Infinity,
  specular: 1,
  specularColor: [1, 1, 1],
};

/** A soft grey room of light for scenes that bring none: 1 nit above, less below. */
export const STUDIO_ENVIRONMENT: EnvironmentSource = {
  kind: 'gradient',
  stops: [
    { y: -1, radiance: [0.25, 0.25, 0.25] },
    { y: -0.05, radiance: [0.4, 0.4, 0.4] },
    { y: 0.15, radiance: [0.7, 0.7, 0.7] },
    { y: 1, radiance: [1, 1, 1] },
  ],
  glow: { direction: [0.48, 0.72, 0.5], radiance: [3, 3, 3], sharpness: 6 },
  rotationDeg: 0,
  strength: 1,
  seenByCamera: true,
  lightsSurfaces: true,
  seenInReflections: true,
};

export function emptyScene(name: string): SceneSource {
  return {
    name,
    nodes: [],
    meshes: [],
    materials: [],
    images: [],
    lights: [],
    cameras: [],
    animations: [],
    environment: null,
    shots: [],
    warnings: [],
  };
}
