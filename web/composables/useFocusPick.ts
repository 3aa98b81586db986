/** Shutter and focus of the shot, and focus picked on a picture: on the object under the pointer, and kept on it. */
import { computed, ref, type Ref } from 'vue';
import type { Shot } from '@daxel/api/schemas';
import type { CameraView } from '@daxel/core/scene/camera';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { focusOn, objectUnder } from '@daxel/core/scene/focus';
import { DEFAULT_OPTICS, type ShotOptics } from '@daxel/core/scene/source';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';
import { sourceOf } from './useCamera';
import type { Wish } from './usePreview';
import { renderPool } from './useShot';

/** What a picture was rendered from. */
export interface PickedFrom {
  wish: Wish;
  camera: CameraView;
  timeSeconds: number;
  width: number;
  height: number;
}

/** Pixels around the pointer that are looked at, to each side. */
const AROUND = 4;

export function useFocusPick(scene: Ref<CompiledScene | null>, shot: Ref<Shot | null>, from: () => PickedFrom | null) {
  const document = useDocument();
  const notices = useNotices();
  const optics = computed<ShotOptics | null>(() => {
    if (!scene.value || !shot.value) return null;
    return sourceOf(scene.value, shot.value).optics ?? DEFAULT_OPTICS;
  });
  const picking = ref(false);

  /** Renders the pixels around a place to know what is there and how far away. @param place shares of the picture */
  async function pickFocus(place: { x: number; y: number }): Promise<void> {
    const [picture, o, s] = [from(), optics.value, scene.value];
    if (!picking.value || !picture || !o || !s) return;
    picking.value = false;
    const { wish, timeSeconds, width, height } = picture;
    const at = (share: number, pixels: number): number => Math.min(pixels - 1, Math.floor(share * pixels));
    const [x, y] = [at(place.x, width), at(place.y, height)];
    const { aperture: _wide, shutter: _open, ...camera } = picture.camera;
    const recipe = {
      ...wish.recipe,
      'output.width': width,
      'output.height': height,
      'samples.method': 'raster',
      'samples.pixel': 1,
      'samples.shutter': 1,
      'samples.scale': 100,
    };
    const part = {
      x: Math.max(0, x - AROUND),
      y: Math.max(0, y - AROUND),
      width: 2 * AROUND + 1,
      height: 2 * AROUND + 1,
    };
    try {
      const request = { ...wish, recipe, camera, timeSeconds, view: 'picture' as const, regions: [part] };
      const { views } = await renderPool().render(request).promise;
      const under = objectUnder(around(views, { x, y }, width, height));
      if (!under) return void notices.say('There is only background: it cannot be focused on.');
      const on = focusOn(s, camera, { width, height }, { x, y }, under, timeSeconds);
      const object = s.meta.instances[under.object - 1]?.name || on.name || 'what was picked';
      document.change({ optics: { ...o, focusDistance: Number(under.depth.toPrecision(4)), focusOn: on } }, 'focus');
      notices.say(
        `In focus: ${object}, ${under.depth.toPrecision(3)} m away. It stays so while it or the camera moves.`,
      );
    } catch (error) {
      notices.flag(error);
    }
  }
  return { optics, picking, pickFocus };
}

/** The square around a pixel; what of it lies outside the picture is background. */
function around(
  { depth, objectId }: { depth: ArrayLike<number>; objectId: ArrayLike<number> },
  { x, y }: { x: number; y: number },
  width: number,
  height: number,
): Parameters<typeof objectUnder>[0] {
  const side = 2 * AROUND + 1;
  const read = (plane: ArrayLike<number>): number[] =>
    Array.from({ length: side * side }, (_, i) => {
      const px = x - AROUND + (i % side);
      const py = y - AROUND + Math.floor(i / side);
      return px < 0 || py < 0 || px >= width || py >= height ? 0 : plane[py * width + px];
    });
  return { width: side, height: side, depth: read(depth), objects: read(objectId) };
}
