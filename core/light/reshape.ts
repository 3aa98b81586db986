/** Changes of a light that bring others with them. */
import { cos, sin } from '../math/exact';
import { faceArea } from './frameLight';
import type { Rig, RigLight } from './rig';

/**
 * A change of a face's size or shape together with the luminance that leaves its light as it was: what a face sends out is
 * its luminance times its area. Other kinds are told by what they send out, and other changes stay as they are.
 */
export function keepingTotal(light: RigLight, change: Partial<RigLight>): Partial<RigLight> {
  if (light.kind !== 'area' || change.intensity !== undefined) return change;
  const ratio = faceArea(light) / faceArea({ ...light, ...change });
  return ratio === 1 || !Number.isFinite(ratio) ? change : { ...change, intensity: light.intensity * ratio };
}

/** Surroundings as they are to be, and the lights that were split off them turned with them. */
export function turnedWith(rig: Rig, environment: Rig['environment']): Pick<Rig, 'environment' | 'lights'> {
  const by = ((environment.rotationDeg - rig.environment.rotationDeg) * Math.PI) / 180;
  const lights =
    by === 0
      ? rig.lights
      : rig.lights.map((light) =>
          light.turnsWithPicture ? { ...light, direction: turned(light.direction, by) } : light,
        );
  return { environment, lights };
}

/** A direction as it points once a picture around the scene was turned. */
export function turned([x, y, z]: readonly number[], angleRad: number): [number, number, number] {
  const [c, s] = [cos(angleRad), sin(angleRad)];
  return [x * c + z * s, y, z * c - x * s];
}
