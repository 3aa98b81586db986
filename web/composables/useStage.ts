/** What Tune and Light share: the shot with its scene, camera and light, and the picture that is drawn of it. */
import { computed, onMounted, onUnmounted, ref, watch, type Ref } from 'vue';
import { isPathTraced } from '@daxel/core/recipe/pathSettings';
import { resolveRecipe, type Tier } from '@daxel/core/recipe/recipe';
import { exposedBy } from '@daxel/core/light/rig';
import type { ViewMode } from '@daxel/core/shading/views';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';
import { painted } from './painted';
import { useCamera } from './useCamera';
import { useLighting } from './useLighting';
import { usePreview, type Wish } from './usePreview';
import { useShot } from './useShot';

/** @param draws whether this screen shows one picture that follows the hand */
export function useStage(shotId: Ref<string>, { draws = true } = {}) {
  const document = useDocument();
  const notices = useNotices();
  const { found, missing, scene, sceneId, sketch, sketchDrawn, loading, failure } = useShot(shotId, {
    sketched: draws,
  });
  watch(
    () => found.value?.shot,
    (shot) => {
      if (shot) void document.open(shot);
    },
    { immediate: true },
  );
  const saveNow = (): void => void document.save();
  onMounted(() => window.addEventListener('pagehide', saveNow));
  onUnmounted(() => {
    window.removeEventListener('pagehide', saveNow);
    saveNow();
  });

  const tier = ref<Tier>('draft');
  const view = ref<ViewMode>('picture');
  const zoom = ref<'fit' | 1 | 2>('fit');
  const shot = computed(() => (document.shot?.id === shotId.value ? document.shot : null));
  const light = useLighting(scene, shot, notices.flag);
  const resolved = computed(() => (shot.value ? resolveRecipe(shot.value.recipe, tier.value) : null));
  const traced = computed(() => resolved.value !== null && isPathTraced(resolved.value));
  // only path tracing knows its noise
  watch([view, traced], () => {
    if (view.value === 'noise' && !traced.value) view.value = 'picture';
  });
  const camera = useCamera(scene, shot, () => preview.middleDistance());
  /** Everything of the picture but its light. */
  const shown = computed(() => {
    if (!scene.value || !shot.value || !resolved.value || !camera.view.value) return null;
    const { frame, rate, seed } = shot.value;
    const timeSeconds = frame / rate;
    return { sceneId: sceneId.value, recipe: resolved.value, camera: camera.view.value, timeSeconds, seed };
  });
  const lit = computed<Wish | null>(() => {
    if (!shown.value || !light.lighting.value || !light.active.value) return null;
    const recipe = exposedBy(shown.value.recipe, light.active.value);
    const sketched = sketch.value ? { sceneId: sketch.value, sketchOf: sceneId.value } : {};
    return { ...shown.value, ...sketched, recipe, lighting: light.lighting.value, view: view.value };
  });
  const preview = usePreview(draws ? lit : ref(null));
  // the rest of a scene is so much that the page would not come to painting while it arrives
  watch(preview.picture, async (picture) => {
    if (!picture || !sketch.value) return;
    await painted();
    sketchDrawn();
  });
  /** What is measured or drawn beside the picture waits until all of the scene is there. */
  const whole = <T>(wanted: Ref<T>) => computed(() => (sketch.value ? null : wanted.value));
  return {
    shot,
    missing,
    scene,
    sketched: computed(() => sketch.value !== null),
    loading,
    failure: computed(() => failure.value ?? preview.failure.value),
    tier,
    view,
    zoom,
    resolved,
    traced,
    camera,
    light,
    /** Rigs are drawn beside each other from it. */
    base: whole(shown),
    wish: whole(lit),
    preview,
    width: computed(() => (resolved.value?.['output.width'] as number | undefined) ?? 768),
    height: computed(() => (resolved.value?.['output.height'] as number | undefined) ?? 432),
  };
}
