/** One light of one frame as flat numbers in world space. */
import { FACING_BOTH, FACING_FRONT, FACING_NONE } from '@daxel/kernel/generated/layouts/facings';
import { LIGHT_AREA, LIGHT_POINT, LIGHT_SPOT, LIGHT_SUN } from '@daxel/kernel/generated/layouts/lightKinds';
import { cos, sin, tan } from '../math/exact';
import { cross, length, unit, type Mat4 } from '../math/mat4';
import type { LightPlace, PlacedLight } from '../scene/source';
import type { ShadowView } from './shadowView';

export * from '@daxel/kernel/generated/layouts/facings';
export * from '@daxel/kernel/generated/layouts/lightKinds';

export interface FrameLight {
  kind: number;
  /** World position, metres. */
  px: number;
  py: number;
  pz: number;
  /** Direction in which the light shines, unit. */
  dx: number;
  dy: number;
  dz: number;
  /** Lux (sun), candela (point, spot) or nit × m² (area), per colour. */
  r: number;
  g: number;
  b: number;
  range: number;
  /** Of the lamp's ball, metres; 0 for a point. */
  radius: number;
  /** Tangent of half the angular diameter of a sun. */
  discTan: number;
  /** Half of the width and of the height of an area light as vectors, metres. */
  ux: number;
  uy: number;
  uz: number;
  vx: number;
  vy: number;
  vz: number;
  /** The area is an ellipse rather than a rectangle. */
  round: boolean;
  /** m² */
  area: number;
  /** FACING_*, and the normal of the place the light starts from. */
  facing: number;
  fx: number;
  fy: number;
  fz: number;
  /** Spot falloff: (cos γ · scale + offset)², clamped (KHR_lights_punctual). */
  spotScale: number;
  spotOffset: number;
  /** One point of a larger light, or a light without extent: it is shaded as a point. */
  sampled: boolean;
  castsShadow: boolean;
  /** Place in the frame's list of lights, for random numbers and views. */
  index: number;
  /** Maps to look into: cascades of a sun from near to far, one of a spot, six faces +X −X +Y −Y +Z −Z of the others. */
  maps: ShadowView[];
}

/** World matrix of a light without a node: it looks along −Z, its top as near to up as can be, then rolled. */
export function placeMatrix(place: LightPlace): Mat4 {
  const back = unit(place.direction.map((c) => -c));
  if (length(back) === 0) back[1] = 1;
  const up = Math.abs(back[1]) > 0.999 ? [0, 0, 1] : [0, 1, 0];
  const right0 = unit(cross(up, back));
  const top0 = cross(back, right0);
  const roll = ((place.rollDeg ?? 0) * Math.PI) / 180;
  const [c, s] = [cos(roll), sin(roll)];
  const right = right0.map((v, k) => v * c + top0[k] * s);
  const top = top0.map((v, k) => v * c - right0[k] * s);
  return Float64Array.of(...right, 0, ...top, 0, ...back, 0, ...place.position, 1);
}

/** World matrix of any light at the frame's pose. */
export function lightMatrix(light: PlacedLight, world: readonly Mat4[]): Mat4 {
  return light.node >= 0 && world[light.node] ? world[light.node] : placeMatrix(light.place ?? HOME);
}

const HOME: LightPlace = { position: [0, 2, 0], direction: [0, -1, 0] };

type Face = Pick<PlacedLight, 'shape' | 'width' | 'height'>;

/** Width and height of an area light's face, metres; a square or disc has its width both ways. */
export function faceSize(light: Face): [number, number] {
  const width = light.width ?? 1;
  const both = light.shape === 'square' || light.shape === 'disc';
  return [width, both ? width : (light.height ?? width)];
}

/** Area of its face, m². */
export function faceArea(light: Face): number {
  const [width, height] = faceSize(light);
  return width * height * (isRound(light) ? Math.PI / 4 : 1);
}

function isRound({ shape }: Face): boolean {
  return shape === 'disc' || shape === 'ellipse';
}

/** The record of a light; its maps are added by `shadows/planShadows`. */
export function frameLight(source: PlacedLight, index: number, world: readonly Mat4[]): FrameLight {
  const m = lightMatrix(source, world);
  const d = unit([-m[8], -m[9], -m[10]]);
  const cosOuter = cos(source.outerConeRad);
  const spotScale = 1 / Math.max(1e-3, cos(source.innerConeRad) - cosOuter);
  const kind = { sun: LIGHT_SUN, point: LIGHT_POINT, spot: LIGHT_SPOT, area: LIGHT_AREA }[source.kind];
  const [width, height] = kind === LIGHT_AREA ? faceSize(source) : [0, 0];
  const right = unit([m[0], m[1], m[2]]).map((c) => (c * width) / 2);
  const top = unit([m[4], m[5], m[6]]).map((c) => (c * height) / 2);
  const area = kind === LIGHT_AREA ? faceArea(source) : 0;
  const strength = kind === LIGHT_AREA ? source.intensity * area : source.intensity;
  const radius = kind === LIGHT_POINT || kind === LIGHT_SPOT ? source.radius : 0;
  const discTan = kind === LIGHT_SUN ? tan(source.angularDiameterRad / 2) : 0;
  return {
    kind,
    px: m[12],
    py: m[13],
    pz: m[14],
    dx: d[0],
    dy: d[1],
    dz: d[2],
    r: source.color[0] * strength,
    g: source.color[1] * strength,
    b: source.color[2] * strength,
    range: source.range,
    radius,
    discTan,
    ux: right[0],
    uy: right[1],
    uz: right[2],
    vx: top[0],
    vy: top[1],
    vz: top[2],
    round: isRound(source),
    area,
    facing: kind !== LIGHT_AREA ? FACING_NONE : source.twoSided ? FACING_BOTH : FACING_FRONT,
    fx: d[0],
    fy: d[1],
    fz: d[2],
    spotScale,
    spotOffset: -cosOuter * spotScale,
    sampled: radius === 0 && discTan === 0 && kind !== LIGHT_AREA,
    castsShadow: source.castsShadow && source.intensity !== 0,
    index,
    maps: [],
  };
}

/** Can this light be seen as more than a point? */
export function isSoft(light: FrameLight): boolean {
  return light.kind === LIGHT_AREA || light.radius > 0 || light.discTan > 0;
}
