/** Keys and commands of the tune screen. */
import type { Ref } from 'vue';
import type { Tier } from '@daxel/core/recipe/recipe';
import { useCommands } from '../commands/commands';
import { usePictureKeys, type PictureScreen } from './usePictureKeys';

export function useTuneKeys(
  screen: PictureScreen & {
    tier: Ref<Tier>;
    zoom: Ref<'fit' | 1 | 2>;
    drawingPatch: Ref<boolean>;
    renderStill: () => void;
    pickFocus: () => void;
  },
) {
  const { tier, zoom, drawingPatch } = screen;
  const tune = 'Tune';
  useCommands([
    { id: 'still', label: 'Render still', key: 'R', group: tune, run: screen.renderStill },
    {
      id: 'tier',
      label: 'Show the other tier',
      key: 'T',
      group: tune,
      run: () => (tier.value = tier.value === 'draft' ? 'final' : 'draft'),
    },
    {
      id: 'patch',
      label: 'Draw a new patch',
      key: 'P',
      group: tune,
      run: () => (drawingPatch.value = !drawingPatch.value),
    },
    { id: 'focus', label: 'Focus on what is clicked', key: 'F', group: tune, run: screen.pickFocus },
    { id: 'fit', label: 'Zoom to fit', key: '0', group: tune, run: () => (zoom.value = 'fit') },
    { id: 'zoom-1', label: 'Zoom to 100 %', key: '1', group: tune, run: () => (zoom.value = 1) },
    { id: 'zoom-2', label: 'Zoom to 200 %', key: '2', group: tune, run: () => (zoom.value = 2) },
    {
      id: 'escape',
      label: 'Stop drawing a patch',
      key: 'Escape',
      group: tune,
      run: () => (drawingPatch.value = false),
      enabled: () => drawingPatch.value,
    },
  ]);
  return usePictureKeys(screen, tune);
}
