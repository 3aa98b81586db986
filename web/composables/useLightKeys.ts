/** Keys and commands of the light screen. */
import type { Ref } from 'vue';
import type { RigLight } from '@daxel/core/light/rig';
import { useCommands } from '../commands/commands';
import type { useRigs } from './useRigs';
import { usePictureKeys, type PictureScreen } from './usePictureKeys';

export function useLightKeys(
  screen: PictureScreen & {
    chosen: Ref<string | null>;
    lights: Ref<readonly RigLight[]>;
    edits: ReturnType<typeof useRigs>;
    addLight: (kind: RigLight['kind']) => void;
    copy: () => void;
    remove: (id: string) => void;
  },
) {
  const { chosen, lights, edits } = screen;
  const group = 'Light';
  const one = (): RigLight | undefined => lights.value.find((l) => l.id === chosen.value);
  const has = (): boolean => one() !== undefined;
  const step = (by: number): void => {
    const at = lights.value.findIndex((l) => l.id === chosen.value);
    const count = lights.value.length;
    if (count > 0) chosen.value = lights.value[(at + by + count) % count].id;
  };
  useCommands([
    { id: 'next-light', label: 'The next light', key: 'N', group, run: () => step(1) },
    { id: 'last-light', label: 'The light before', key: 'Shift+N', group, run: () => step(-1) },
    {
      id: 'solo',
      label: 'Solo the chosen light',
      key: 'S',
      group,
      run: () => edits.changeLight(one()!.id, { solo: !one()!.solo }),
      enabled: has,
    },
    {
      id: 'light-on',
      label: 'Switch the chosen light on or off',
      key: 'O',
      group,
      run: () => edits.changeLight(one()!.id, { on: !one()!.on }),
      enabled: has,
    },
    { id: 'copy-light', label: 'Copy the chosen light', key: 'C', group, run: screen.copy, enabled: has },
    {
      id: 'delete-light',
      label: 'Delete the chosen light',
      key: 'Delete',
      group,
      run: () => screen.remove(one()!.id),
      enabled: has,
    },
    { id: 'add-sun', label: 'Add a sun', group, run: () => screen.addLight('sun') },
    { id: 'add-point', label: 'Add a point light', group, run: () => screen.addLight('point') },
    { id: 'add-spot', label: 'Add a spot light', group, run: () => screen.addLight('spot') },
    { id: 'add-area', label: 'Add an area light', group, run: () => screen.addLight('area') },
  ]);
  return usePictureKeys(screen, group);
}
