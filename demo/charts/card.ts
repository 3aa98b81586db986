/** What all charts share: two matters to be lit, ink, and a calm surrounding light. */
import type { EnvironmentSource } from '@daxel/core/light/surroundings/document';
import { SceneKit } from '../sceneKit';

/** Base colours. Grounds reflect about as much as a grey card does, 18 %, what stands on them about 60 %. */
const GROUNDS = {
  'grey card': [0.18, 0.18, 0.18],
  boards: [0.29, 0.165, 0.085],
  felt: [0.13, 0.185, 0.24],
  baize: [0.1, 0.21, 0.145],
  slate: [0.155, 0.18, 0.205],
  sand: [0.27, 0.19, 0.115],
} as const;
const SUBJECTS = {
  'pale card': [0.62, 0.62, 0.62],
  birch: [0.74, 0.6, 0.41],
  limewash: [0.67, 0.62, 0.53],
  ochre: [0.78, 0.59, 0.33],
} as const;

export interface Chart {
  kit: SceneKit;
  /** The ground, or what is behind. */
  card: number;
  /** What stands before it. */
  pale: number;
  ink: number;
}

/** @param surround nit from everywhere */
export function startChart(
  name: string,
  surround: number,
  ground: keyof typeof GROUNDS = 'grey card',
  subject: keyof typeof SUBJECTS = 'pale card',
): Chart {
  const kit = new SceneKit(name);
  kit.scene.environment = evenLight(surround);
  const matte = (label: string, [r, g, b]: readonly [number, number, number]): number =>
    kit.material(label, { baseColor: [r, g, b, 1], roughness: 0.9, specular: 0.3, doubleSided: true });
  const [card, pale] = [matte(ground, GROUNDS[ground]), matte(subject, SUBJECTS[subject])];
  return { kit, card, pale, ink: matte('ink', [0.04, 0.04, 0.04]) };
}

/** @param radiance in nit from everywhere */
function evenLight(radiance: number): EnvironmentSource {
  return {
    kind: 'constant',
    stops: [{ y: 0, radiance: [radiance, radiance, radiance] }],
    rotationDeg: 0,
    strength: 1,
    seenByCamera: true,
    lightsSurfaces: true,
    seenInReflections: true,
  };
}
