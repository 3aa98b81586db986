/** Shutter and focus of the shot, and focus picked on the picture of a run. */
import { computed, ref, type Ref } from 'vue';
import type { Shot } from '@daxel/api/schemas';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { DEFAULT_OPTICS, type ShotOptics } from '@daxel/core/scene/source';
import type { Picture } from '../render/preview';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';
import type { Run } from '../stores/runs';
import { sourceOf } from './useCamera';
import { renderPool } from './useShot';

export function useFocusPick(
  scene: Ref<CompiledScene | null>,
  shot: Ref<Shot | null>,
  run: Ref<Run | null>,
  picture: Ref<Picture | null>,
  frame: Ref<number>,
) {
  const document = useDocument();
  const notices = useNotices();
  const optics = computed<ShotOptics | null>(() => {
    if (!scene.value || !shot.value) return null;
    return sourceOf(scene.value, shot.value).optics ?? DEFAULT_OPTICS;
  });
  const picking = ref(false);
  /** Renders the one pixel that was clicked on to know how far away it is. */
  async function pickFocus(event: MouseEvent): Promise<void> {
    const [order, shown, o] = [run.value?.order, picture.value, optics.value];
    if (!picking.value || !order || !shown || !o) return;
    picking.value = false;
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const at = (from: number, length: number, pixels: number): number =>
      Math.min(pixels - 1, Math.floor((from / length) * pixels));
    const x = at(event.clientX - box.left, box.width, shown.width);
    const y = at(event.clientY - box.top, box.height, shown.height);
    const timeSeconds = frame.value / order.rate;
    const { aperture: _wide, shutter: _open, ...camera } = order.cameraAt(timeSeconds);
    const recipe = { ...order.wish.recipe, 'samples.pixel': 1, 'samples.shutter': 1 };
    const regions = [{ x, y, width: 1, height: 1 }];
    try {
      const seen = await renderPool().render({ ...order.wish, recipe, camera, timeSeconds, regions }).promise;
      const metres = seen.views.depth[y * seen.width + x];
      if (metres > 0) document.change({ optics: { ...o, focusDistance: Number(metres.toPrecision(4)) } }, 'focus');
      else notices.say('There is only background: it cannot be focused on.');
    } catch (error) {
      notices.flag(error);
    }
  }
  return { optics, picking, pickFocus };
}
