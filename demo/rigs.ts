/** Further lightings of shots, to be held beside the one each comes with. */
import { newLight, sunDirection, type Rig, type RigLight } from '@daxel/core/light/rig';
import { LAMP } from './dayRoom/furnishing';
import { tint } from './matter';

export function lampRoomRigs(own: Rig): Rig[] {
  return [nightWatch(own), overcast(own)];
}

/** The sun is gone: the lamp carries the room, a lantern stands on the floor, the sky is a deep blue. */
function nightWatch(own: Rig): Rig {
  const rig = structuredClone(own);
  rig.name = 'Night watch';
  rig.exposureEv = 3.5;
  for (const light of rig.lights) if (light.kind === 'sun') light.on = false;
  rig.environment = {
    ...rig.environment,
    glow: undefined,
    stops: [
      { y: -1, radiance: [1, 1.4, 2.4] },
      { y: 0.02, radiance: [9, 14, 26] },
      { y: 0.3, radiance: [3.5, 6, 13] },
      { y: 1, radiance: [1.5, 2.5, 6] },
    ],
  };
  const lantern: RigLight = {
    ...newLight('point', 'lantern', 'lantern'),
    temperature: 2100,
    color: tint(2100),
    intensity: 40,
    radius: 0.04,
    position: [-0.9, 0.35, 1.1],
  };
  rig.lights.push(lantern);
  return rig;
}

/** A bright grey day: soft light through the panes, and a sheet of light where a work lamp hangs. */
function overcast(own: Rig): Rig {
  const rig = structuredClone(own);
  rig.name = 'Overcast, work light';
  rig.exposureEv = -0.5;
  for (const light of rig.lights) {
    if (light.kind !== 'sun') continue;
    light.follows = null;
    light.direction = sunDirection(48, 300);
    light.angularDiameterDeg = 12;
    light.color = tint(6500);
    light.temperature = 6500;
    light.intensity = 2600;
  }
  const sheet: RigLight = {
    ...newLight('area', 'work-light', 'work light'),
    temperature: 4000,
    color: tint(4000),
    intensity: 5200,
    width: 0.9,
    height: 0.3,
    position: [0.95, 2.05, -0.85],
    direction: [-0.5, -0.8, 0.35],
  };
  rig.lights.push(sheet);
  rig.environment = {
    ...rig.environment,
    kind: 'gradient',
    glow: undefined,
    stops: [
      { y: -1, radiance: [90, 95, 100] },
      { y: 0, radiance: [700, 730, 780] },
      { y: 1, radiance: [1500, 1560, 1680] },
    ],
  };
  return rig;
}

/** The day room by each of its lights. */
export function dayRoomRigs(own: Rig): Rig[] {
  const { environment } = own;
  const dark: Rig['environment'] = {
    ...environment,
    glow: undefined,
    stops: [
      { y: -1, radiance: [0.4, 0.6, 1] },
      { y: 0.02, radiance: [7, 10, 17] },
      { y: 1, radiance: [1.5, 2.5, 6] },
    ],
  };
  const lit = (name: string, exposureEv: number, more: Partial<Rig>): Rig => ({
    ...structuredClone(own),
    name,
    exposureEv,
    lights: [],
    ...more,
  });
  const small: RigLight = {
    ...newLight('point', 'small-lamp', 'small lamp'),
    temperature: 2700,
    color: tint(2700),
    intensity: 120,
    radius: 0.02,
    position: [...LAMP],
  };
  const large: RigLight = {
    ...newLight('area', 'large-lamp', 'large lamp'),
    temperature: 2700,
    color: tint(2700),
    intensity: 700,
    shape: 'disc',
    width: 1,
    height: 1,
    position: [...LAMP],
    direction: [-0.35, -0.9, 0.25],
  };
  return [
    lit('Panel and sky', 0.75, {}),
    lit('Sky alone', 1, { glow: 0 }),
    lit('Panel alone', 2.5, { environment: dark }),
    lit('Small lamp', 4, { environment: dark, glow: 0, lights: [small] }),
    lit('Large lamp', 3.25, { environment: dark, glow: 0, lights: [large] }),
  ];
}
