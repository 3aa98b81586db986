/** The kinds of surroundings there are: a new one is a file beside these and a line here, its name and fields in `document.ts`. */
import { z } from 'zod';
import { within } from '../../math/within';
import type { EnvironmentPicture } from '../../scene/source';
import { constant } from './constant';
import type { EnvironmentSource } from './document';
import { gradient } from './gradient';
import type { RadianceFunction, SurroundingsKind } from './kind';
import { picture } from './picture';

const KINDS: { [K in EnvironmentSource['kind']]: SurroundingsKind } = { constant, gradient, picture };

/** In the order in which screens offer them. */
export const SURROUNDINGS_KINDS: readonly SurroundingsKind[] = Object.values(KINDS);

/** How a scene's file says what stands around it. */
export const surroundingsInFile = z.discriminatedUnion('kind', [constant.file, gradient.file, picture.file]);

export function kindOf({ kind }: Pick<EnvironmentSource, 'kind'>): SurroundingsKind {
  return KINDS[kind];
}

/**
 * Makes a function that writes the radiance (rgb, nit) seen towards a unit direction, times a factor.
 * @param picture the one that the surroundings name; black when it is missing
 */
export function environmentRadiance(
  environment: EnvironmentSource,
  picture: EnvironmentPicture | null = null,
  factor = 1,
): RadianceFunction {
  return kindOf(environment).radiance(environment, picture, factor);
}

/** What a file says of its surroundings, brought into the ranges of a rig. */
export function withinRig(e: EnvironmentSource): EnvironmentSource {
  const own = SURROUNDINGS_KINDS.map((kind) => kind.inRange(e));
  const weight = (v: number | undefined): number | undefined => (v === undefined ? v : within(v, 0, 1000));
  const brought: EnvironmentSource = Object.assign({}, e, ...own, {
    rotationDeg: within(e.rotationDeg % 360, -360, 360),
    strength: within(e.strength, 0, 1000),
    cameraStrength: weight(e.cameraStrength),
    lightStrength: weight(e.lightStrength),
    reflectionStrength: weight(e.reflectionStrength),
  });
  // without what is not there
  return JSON.parse(JSON.stringify(brought)) as EnvironmentSource;
}

/**
 * Two surroundings in one: at equal settings their strengths add up; kinds that have a common form mix; of others the
 * one with more weight stays, at its share of strength.
 * @param t 0 the first … 1 the second
 * @param gain on the second's light
 */
export function blendSurroundings(
  a: EnvironmentSource,
  b: EnvironmentSource,
  t: number,
  gain: number,
): EnvironmentSource {
  const { strength: sa, ...restA } = a;
  const { strength: sb, ...restB } = b;
  const [shareA, shareB] = [sa * (1 - t), sb * t * gain];
  if (JSON.stringify(restA) === JSON.stringify(restB)) return { ...a, strength: shareA + shareB };
  const mixed = kindOf(a).blend(a, b, t, gain);
  if (mixed) return t < 0.5 ? { ...a, ...mixed } : { ...b, ...mixed };
  return t < 0.5 ? { ...a, strength: shareA } : { ...b, strength: shareB };
}
