/** What all charts share: grey card, ink, and a calm surrounding light. */
import type { EnvironmentSource } from '@daxel/core/light/surroundings/document';
import { SceneKit } from '../sceneKit';

export interface Chart {
  kit: SceneKit;
  /** 18 % grey. */
  card: number;
  pale: number;
  ink: number;
}

export function startChart(name: string, surround: number): Chart {
  const kit = new SceneKit(name);
  kit.scene.environment = evenLight(surround);
  const matte = (label: string, grey: number): number =>
    kit.material(label, { baseColor: [grey, grey, grey, 1], roughness: 0.9, specular: 0.3, doubleSided: true });
  return { kit, card: matte('grey card', 0.18), pale: matte('pale card', 0.62), ink: matte('ink', 0.04) };
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
