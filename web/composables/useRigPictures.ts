/** A small live picture of every rig, the same view for all; drawn one after the other when the large picture rests. */
import { onUnmounted, ref, shallowRef, watch, type Ref } from 'vue';
import type { StoredRig } from '@daxel/api/schemas';
import { requestKey } from '@daxel/core/frame/requestKey';
import { exposedBy, type Rig } from '@daxel/core/light/rig';
import type { FrameRequest } from '@daxel/core/frame/renderPool';
import { isPathTraced } from '@daxel/core/recipe/pathSettings';
import type { Lighting } from '@daxel/core/scene/source';
import { copyPicture, type Picture } from '../render/preview';
import { renderPool } from './useShot';

const WIDTH = 208;
const WAIT_MS = 250;
const TRACED_SAMPLES = 8;

export function useRigPictures(
  rigs: Ref<StoredRig[]>,
  base: Ref<Omit<FrameRequest, 'lighting'> | null>,
  lightingOf: (rig: Rig) => Lighting | null,
  busy: Ref<boolean>,
) {
  const pictures = shallowRef<ReadonlyMap<string, Picture>>(new Map());
  const failure = ref<string | null>(null);
  const keys = new Map<string, string>();
  let running = false;
  let stopped = false;
  let timer: ReturnType<typeof setTimeout> | undefined;

  function requestOf(rig: StoredRig): FrameRequest | null {
    const lighting = lightingOf(rig);
    if (!base.value || !lighting) return null;
    const recipe = exposedBy(base.value.recipe, rig);
    const traced = isPathTraced(recipe);
    const ratio = (recipe['output.height'] as number) / (recipe['output.width'] as number);
    return {
      ...base.value,
      recipe: {
        ...recipe,
        'output.width': WIDTH,
        'output.height': Math.max(16, Math.round(WIDTH * ratio)),
        // small and at once, by the method of the tier: what lights by its glow alone is dark in the other one
        'samples.pixel': traced ? TRACED_SAMPLES : 1,
        'samples.errorTarget': 0,
        'samples.denoise': traced ? 'spatial' : recipe['samples.denoise'],
        'samples.shutter': 1,
        'geometry.glassLayers': 3,
        'bounce.probeRays': Math.min(32, recipe['bounce.probeRays'] as number),
        'shadows.lightSamples': Math.min(2, recipe['shadows.lightSamples'] as number),
        'shadows.resolution': Math.min(1024, recipe['shadows.resolution'] as number),
        'shadows.localResolution': Math.min(256, recipe['shadows.localResolution'] as number),
      },
      lighting,
    };
  }
  async function run(): Promise<void> {
    if (running) return;
    running = true;
    try {
      for (;;) {
        // the large picture goes first: a hand is on it
        if (busy.value || stopped) return;
        const next = rigs.value
          .map((rig) => ({ rig, request: requestOf(rig) }))
          .find(({ rig, request }) => request && keys.get(rig.id) !== requestKey(request));
        if (!next?.request) return;
        keys.set(next.rig.id, requestKey(next.request));
        const frame = await renderPool().render(next.request).promise;
        const picture = copyPicture(frame.views, frame.width, frame.height, frame.samples, false);
        pictures.value = new Map(pictures.value).set(next.rig.id, picture);
        failure.value = null;
      }
    } catch (error) {
      failure.value = (error as Error).message;
    } finally {
      running = false;
    }
  }
  watch(
    [rigs, base, busy],
    () => {
      clearTimeout(timer);
      if (!busy.value) timer = setTimeout(() => void run(), WAIT_MS);
    },
    { immediate: true, deep: true },
  );
  onUnmounted(() => {
    stopped = true;
    clearTimeout(timer);
  });
  return { pictures, failure };
}
