/** Keys and commands that every screen with the picture has: look around, views, zebra, hold against, undo. */
import { onMounted, onUnmounted, ref, type Ref } from 'vue';
import { VIEW_MODES, type ViewMode } from '@daxel/core/shading/views';
import { useCommands } from '../commands/commands';
import type { useDocument } from '../stores/document';
import type { useCamera } from './useCamera';

const TURN = 0.06;
const SHIFT = 0.04;
const CLOSER = 0.9;

export interface PictureScreen {
  camera: ReturnType<typeof useCamera>;
  document: ReturnType<typeof useDocument>;
  view: Ref<ViewMode>;
  zebra: Ref<boolean>;
}

/** @param group under which the screen's own commands are listed @returns whether the picture before is held */
export function usePictureKeys({ camera, document, view, zebra }: PictureScreen, group: string) {
  const holding = ref(false);
  const look = 'Look around';
  useCommands([
    {
      id: 'before',
      label: 'Hold: the picture before the last change',
      key: 'B',
      group,
      run: () => (holding.value = true),
    },
    {
      id: 'view',
      label: 'The next view of light and shadow',
      key: 'V',
      group,
      run: () => (view.value = nextView(view.value)),
    },
    {
      id: 'zebra',
      label: 'Zebra: stripes where clipped, dots where crushed',
      key: 'Z',
      group,
      run: () => (zebra.value = !zebra.value),
    },
    { id: 'undo', label: 'Undo', key: 'Ctrl+Z', group, run: document.undo, enabled: () => document.canUndo },
    {
      id: 'redo',
      label: 'Redo',
      key: 'Ctrl+Shift+Z Ctrl+Y',
      group,
      run: document.redo,
      enabled: () => document.canRedo,
    },
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

function nextView(view: ViewMode): ViewMode {
  const at = VIEW_MODES.findIndex((v) => v.id === view);
  return VIEW_MODES[(at + 1) % VIEW_MODES.length].id;
}
