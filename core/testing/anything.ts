/** Scenes of anything that lights and materials may be, for tests that hold compiled loops against their plain twins. */
import fc from 'fast-check';
import {
  DEFAULT_MATERIAL,
  type ImageSource,
  type LightSource,
  type MaterialSource,
  type PrimitiveSource,
  type SceneSource,
  type TextureUse,
} from '../scene/source';
import { addNode, light, quad, sceneOf } from './scenes';

/** Numbers as people and files give them: floats know none much smaller. */
export const within = (min: number, max: number): fc.Arbitrary<number> =>
  fc.integer({ min: 0, max: 1000 }).map((k) => min + ((max - min) * k) / 1000);
export const share = within(0, 1);
export const triple = (one: fc.Arbitrary<number>): fc.Arbitrary<[number, number, number]> => fc.tuple(one, one, one);

/** A floor, a wall, a leaning sheet and a ball of few facets. */
export function furniture(materials: MaterialSource[]): SceneSource {
  const wall: PrimitiveSource = {
    ...quad(1.5),
    positions: Float32Array.of(-1.5, 0, -1.2, 1.5, 0, -1.2, 1.5, 2, -1.2, -1.5, 2, -1.2),
    normals: Float32Array.of(0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1),
    material: 1 % materials.length,
  };
  const sheet: PrimitiveSource = {
    ...quad(0.5),
    positions: Float32Array.of(-0.6, 0.2, 0.3, 0.5, 0.2, 0.6, 0.6, 1, 0, -0.5, 1, -0.2),
    normals: Float32Array.of(0, 0.6, 0.8, 0.2, 0.6, 0.77, 0, 0.7, 0.71, -0.2, 0.6, 0.77),
    material: 2 % materials.length,
  };
  return sceneOf([quad(1.5), wall, sheet], materials);
}

export const anyLight = fc.record({
  kind: fc.constantFrom('sun' as const, 'point' as const, 'spot' as const, 'area' as const),
  intensity: fc.constantFrom(-4, 1, 7, 30),
  color: triple(share),
  range: fc.constantFrom(Infinity, 1.5, 4),
  cone: fc.tuple(within(0, 0.6), within(0.05, 1.4)),
  castsShadow: fc.boolean(),
  radius: fc.constantFrom(0, 0.05),
  angularDiameterRad: fc.constantFrom(0, 0.01),
  shape: fc.constantFrom('rectangle' as const, 'square' as const, 'disc' as const, 'ellipse' as const),
  size: fc.tuple(within(0.05, 0.8), within(0.05, 0.8)),
  twoSided: fc.boolean(),
  place: fc.tuple(within(-1, 1), within(0.4, 2.5), within(-1, 1.5)),
  turn: fc.tuple(within(-1, 1), within(-1, 1), within(-1, 1), within(0.1, 1)),
});

/** Hangs a drawn light into a scene. */
export function addDrawnLight(source: SceneSource, drawn: DrawnLight): void {
  const { cone, size, place, turn, ...rest } = drawn;
  const more: Partial<LightSource> = {
    ...rest,
    innerConeRad: Math.min(...cone),
    outerConeRad: Math.max(...cone),
    width: size[0],
    height: size[1],
  };
  const index = source.lights.push(light(rest.kind, rest.intensity, more)) - 1;
  const length = Math.hypot(...turn);
  const rotation = turn.map((x) => x / length) as [number, number, number, number];
  addNode(source, { light: index, translation: place, rotation });
}
type DrawnLight = typeof anyLight extends fc.Arbitrary<infer T> ? T : never;

export const ANY_IMAGE: ImageSource = { name: 'any', width: 16, height: 8, pixels: new Uint8Array(16 * 8 * 4) };
for (let i = 0; i < ANY_IMAGE.pixels.length; i++) ANY_IMAGE.pixels[i] = (i * 73 + (i >> 3) * 29) % 256;
const use: fc.Arbitrary<TextureUse | undefined> = fc.option(
  fc.record({
    image: fc.constant(0),
    wrapS: fc.constantFrom('repeat' as const, 'mirror' as const, 'clamp' as const),
    wrapT: fc.constantFrom('repeat' as const, 'mirror' as const, 'clamp' as const),
  }),
  { nil: undefined },
);
export const anyMaterial: fc.Arbitrary<MaterialSource> = fc
  .record({
    baseColor: fc.tuple(share, share, share, share),
    metallic: fc.oneof(fc.constantFrom(0, 1), share),
    roughness: share,
    normalScale: within(0, 2),
    occlusionStrength: share,
    emissive: triple(fc.constantFrom(0, 0, 3)),
    alphaMode: fc.constantFrom('opaque' as const, 'blend' as const),
    doubleSided: fc.boolean(),
    transmission: fc.constantFrom(0, 0, 0.5, 1),
    ior: within(1, 2),
    specular: share,
    specularColor: triple(share),
    baseColorTexture: use,
    metallicRoughnessTexture: use,
    normalTexture: use,
    occlusionTexture: use,
    emissiveTexture: use,
  })
  .map((drawn) => ({ ...DEFAULT_MATERIAL, name: 'any', ...drawn }));
