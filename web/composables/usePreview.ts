/** The pictures of the tune screen: the one being drawn, its figures once it stands, and the one before it. */
import { computed, onUnmounted, ref, shallowRef, watch, type Ref } from 'vue';
import { hashFloats } from '@daxel/core/math/hash';
import { recipeHash, type ResolvedRecipe } from '@daxel/core/recipe/recipe';
import type { StageId } from '@daxel/core/recipe/settings';
import type { CameraView } from '@daxel/core/scene/camera';
import { Preview, type Picture } from '../render/preview';
import { renderPool } from './useShot';

/** What a settled picture took. */
export interface Figures {
  seconds: Partial<Record<StageId, number>>;
  bytes: Partial<Record<StageId, number>>;
  total: number;
  threads: number;
  width: number;
  height: number;
  samples: number;
  /** Shadow maps were kept from an earlier picture; their time is from when they were drawn. */
  keptShadows: boolean;
  /** Fingerprint of the scene-linear picture: equal when every bit is. */
  hash: string;
}

export interface Wish {
  sceneId: string;
  recipe: ResolvedRecipe;
  camera: CameraView;
  timeSeconds: number;
  seed: number;
}

export function usePreview(wish: Ref<Wish | null>) {
  const picture = shallowRef<Picture | null>(null);
  const settled = shallowRef<{ picture: Picture; hash: string } | null>(null);
  const before = shallowRef<Picture | null>(null);
  const figures = shallowRef<Figures | null>(null);
  const failure = ref<string | null>(null);
  const drawing = ref(false);
  /** Metres to what is seen in the middle of the picture. */
  let middleDistance = 3;
  let lastShadowSeconds = 0;

  const preview = new Preview(renderPool(), {
    onPicture: (p, frame) => {
      picture.value = p;
      if (frame && !frame.keptShadows) lastShadowSeconds = frame.stages.shadows;
    },
    onSettled: (p, frame) => {
      const { views } = frame;
      const hash = wish.value ? key(wish.value) : '';
      if (settled.value && settled.value.hash !== hash) before.value = settled.value.picture;
      settled.value = { picture: p, hash };
      picture.value = p;
      drawing.value = false;
      failure.value = null;
      if (!frame.keptShadows) lastShadowSeconds = frame.stages.shadows;
      figures.value = {
        seconds: { ...frame.stages, shadows: frame.keptShadows ? lastShadowSeconds : frame.stages.shadows },
        bytes: frame.bytes,
        total: frame.seconds,
        threads: frame.threads,
        width: frame.width,
        height: frame.height,
        samples: frame.samples,
        keptShadows: frame.keptShadows,
        hash: hashFloats(views.beauty),
      };
      const middle = views.depth[(frame.height >> 1) * frame.width + (frame.width >> 1)];
      if (middle > 0) middleDistance = middle;
    },
    onError: (error) => {
      failure.value = error.message;
      drawing.value = false;
    },
  });

  watch(
    wish,
    (w, old) => {
      if (!w) return preview.cancel();
      if (old && old.sceneId !== w.sceneId) {
        picture.value = before.value = null;
        settled.value = null;
        figures.value = null;
      }
      if (old && key(old) === key(w)) return;
      drawing.value = true;
      failure.value = null;
      preview.show(w);
    },
    { immediate: true },
  );
  onUnmounted(() => preview.cancel());
  return {
    picture,
    before,
    figures,
    failure,
    drawing,
    settledPicture: computed(() => settled.value?.picture ?? null),
    middleDistance: () => middleDistance,
  };
}

function key(w: Wish): string {
  const { lens, world } = w.camera;
  return [
    w.sceneId,
    recipeHash(w.recipe),
    w.timeSeconds,
    w.seed,
    world.join(),
    lens.kind,
    lens.yfovRad,
    lens.ymag,
  ].join('|');
}
