/** Keys and commands of the tune screen. */
import { onMounted, onUnmounted, ref, type Ref } from 'vue';
import type { Tier } from '@daxel/core/recipe/recipe';
import { useCommands } from '../commands/commands';
import type { useDocument } from '../stores/document';
import type { useCamera } from './useCamera';

const TURN = 0.06;
const SHIFT = 0.04;
const CLOSER = 0.9;

export function useTuneKeys(screen: {
  camera: ReturnType<typeof useCamera>;
  document: ReturnType<typeof useDocument>;
  tier: Ref<Tier>;
  zoom: Ref<'fit' | 1 | 2>;
  drawingPatch: Ref<boolean>;
  renderStill: () => void;
}) {
  const { camera, document, tier, zoom, drawingPatch } = screen;
  const holding = ref(false);
  const look = 'Look around';
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
      id: 'before',
      label: 'Hold: the picture before the last change',
      key: 'B',
      group: tune,
      run: () => (holding.value = true),
    },
    {
      id: 'patch',
      label: 'Draw a new patch',
      key: 'P',
      group: tune,
      run: () => (drawingPatch.value = !drawingPatch.value),
    },
    { id: 'undo', label: 'Undo', key: 'Ctrl+Z', group: tune, run: document.undo, enabled: () => document.canUndo },
    {
      id: 'redo',
      label: 'Redo',
      key: 'Ctrl+Shift+Z Ctrl+Y',
      group: tune,
      run: document.redo,
      enabled: () => document.canRedo,
    },
    { id: 'fit', label: 'Zoom to fit', key: '0', group: tune, run: () => (zoom.value = 'fit') },
    { id: 'zoom-1', label: 'Zoom to 100 %', key: '1', group: tune, run: () => (zoom.value = 1) },
    { id: 'zoom-2', label: 'Zoom to 200 %', key: '2', group: tune, run: () => (zoom.value = 2) },
    { id: 'left', label: 'Turn left', key: 'ArrowLeft', group: look, run: () => camera.orbitBy(-TURN, 0) },
    { id: 'right', label: 'Turn right', key: 'ArrowRight', group: look, run: () => camera.orbitBy(TURN, 0) },
    { id: 'up', label: 'Turn up', key: 'ArrowUp', group: look, run: () => camera.orbitBy(0, TURN) },
    { id: 'down', label: 'Turn down', key: 'ArrowDown', group: look, run: () => camera.orbitBy(0, -TURN) },
    { id: 'pan-left', label: 'Move left', key: 'Shift+ArrowLeft', group: look, run: () => camera.panBy(-SHIFT, 0) },
    { id: 'pan-right', label: 'Move right', key: 'Shift+ArrowRight', group: look, run: () => camera.panBy(SHIFT, 0) },
    { id: 'pan-up', label: 'Move up', key: 'Shift+ArrowUp', group: look, run: () => camera.panBy(0, SHIFT) },
    { id: 'pan-down', label: 'Move down', key: 'Shift+ArrowDown', group: look, run: () => camera.panBy(0, -SHIFT) },
    { id: 'closer', label: 'Go closer', key: 'PageUp', group: look, run: () => camera.dollyBy(CLOSER) },
    { id: 'away', label: 'Go away', key: 'PageDown', group: look, run: () => camera.dollyBy(1 / CLOSER) },
    { id: 'home', label: 'Back to the shot’s camera', key: 'Home', group: look, run: camera.goBack },
    {
      id: 'escape',
      label: 'Stop drawing a patch',
      key: 'Escape',
      group: tune,
      run: () => (drawingPatch.value = false),
      enabled: () => drawingPatch.value,
    },
  ]);
  const release = (event: KeyboardEvent): void => {
    if (event.key.toUpperCase() === 'B') holding.value = false;
  };
  const letGo = (): void => void (holding.value = false);
  onMounted(() => {
    window.addEventListener('keyup', release);
    window.addEventListener('blur', letGo);
  });
  onUnmounted(() => {
    window.removeEventListener('keyup', release);
    window.removeEventListener('blur', letGo);
  });
  return { holding };
}
