/** The pictures of the tune screen: the one being drawn, its figures once it stands, and the one before it. */
import { computed, onUnmounted, ref, shallowRef, watch, type Ref } from 'vue';
import { requestKey } from '@daxel/core/frame/requestKey';
import type { EdgeSource } from '@daxel/core/measure/shadowFigures';
import type { RenderedFrame } from '@daxel/core/frame/renderPool';
import { hashFloats } from '@daxel/core/math/hash';
import type { ResolvedRecipe, TierValues } from '@daxel/core/recipe/recipe';
import type { StageId } from '@daxel/core/recipe/settings';
import { fitSunShadows } from '@daxel/core/plan/fitSunShadows';
import { exposureSample, type ExposureSample } from '@daxel/core/measure/histogram';
import type { ViewMode } from '@daxel/core/shading/views';
import { SUM_LIT, SUMS } from '@daxel/core/light/components';
import type { CameraView } from '@daxel/core/scene/camera';
import { probesInWords } from '@daxel/core/around/probes/figures';
import { voxelsInWords } from '@daxel/core/around/voxels/figures';
import { softnessInWords } from '@daxel/core/shadows/softness';
import type { Lighting } from '@daxel/core/scene/source';
import { Preview, type Picture } from '../render/preview';
import { renderPool } from './useShot';

/** How often progress is looked at. */
const PROGRESS_MS = 200;

/** What a settled picture took. */
export interface Figures {
  seconds: Partial<Record<StageId, number>>;
  bytes: Partial<Record<StageId, number>>;
  total: number;
  /** What this picture took, of which parts may have been kept. */
  took: number;
  threads: number;
  width: number;
  height: number;
  samples: number;
  /** Positions on each light with extent, for every pixel sample. */
  lightSamples: number;
  /** What would let sun shadows reach as far as is seen, where they do not. */
  sunFit: TierValues | null;
  /** How lights with extent were drawn, in words. */
  softness: string;
  /** The probes that were asked, in words; empty where none were. */
  probes: string;
  /** The voxels that were, in words. */
  voxels: string;
  /** Its samples were kept and only developed anew; the seconds of its stages are from when they were drawn. */
  keptSamples: boolean;
  /** Shadow maps were kept from an earlier picture; their time is from when they were drawn. */
  keptShadows: boolean;
  /** Fingerprint of the scene-linear picture: equal when every bit is. */
  hash: string;
  /** What the artist should know, a sentence each. */
  notes: string[];
}

/** What instruments read of a settled picture. */
export interface Readings extends EdgeSource {
  exposure: ExposureSample;
}

export interface Wish {
  sceneId: string;
  /** The scene that it will be when all of it is there: until then there are only coarse pictures. */
  sketchOf?: string;
  recipe: ResolvedRecipe;
  camera: CameraView;
  timeSeconds: number;
  seed: number;
  lighting: Lighting;
  view: ViewMode;
}

export function usePreview(wish: Ref<Wish | null>) {
  const picture = shallowRef<Picture | null>(null);
  const settled = shallowRef<{ picture: Picture; hash: string } | null>(null);
  const before = shallowRef<Picture | null>(null);
  const figures = shallowRef<Figures | null>(null);
  const readings = shallowRef<Readings | null>(null);
  const failure = ref<string | null>(null);
  const drawing = ref(false);
  /** Share of the probes that are baked, while any are. */
  const baking = ref<number | null>(null);
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
      const hash = wish.value ? requestKey(wish.value) : '';
      if (settled.value && settled.value.hash !== hash) before.value = settled.value.picture;
      settled.value = { picture: p, hash };
      picture.value = p;
      drawing.value = false;
      failure.value = null;
      if (!frame.keptShadows) lastShadowSeconds = frame.stages.shadows;
      figures.value = {
        seconds: { ...frame.stages, shadows: frame.keptShadows ? lastShadowSeconds : frame.stages.shadows },
        bytes: frame.bytes,
        total: frame.keptSamples ? Object.values(frame.stages).reduce((a, b) => a + b, 0) : frame.seconds,
        took: frame.seconds,
        keptSamples: frame.keptSamples,
        threads: frame.threads,
        width: frame.width,
        height: frame.height,
        samples: frame.samples,
        lightSamples: frame.softness?.positions ?? 1,
        sunFit: frame.sunEnds !== null && wish.value ? fitSunShadows(views.depth, wish.value.recipe) : null,
        softness: frame.softness ? softnessInWords(frame.softness, frame.samples) : '',
        probes: frame.probes ? probesInWords(frame.probes) : '',
        voxels: frame.voxels ? voxelsInWords(frame.voxels) : '',
        keptShadows: frame.keptShadows,
        hash: hashFloats(views.beauty),
        notes: frame.notes,
      };
      if (wish.value?.view === 'picture') readings.value = readingsOf(frame);
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
      if (old && sceneOf(old) !== sceneOf(w)) {
        picture.value = before.value = null;
        settled.value = null;
        figures.value = null;
        readings.value = null;
      }
      if (old && requestKey(old) === requestKey(w)) return;
      drawing.value = true;
      failure.value = null;
      preview.show(w, w.sketchOf !== undefined);
    },
    { immediate: true },
  );
  const asking = setInterval(() => {
    baking.value = drawing.value ? preview.baked() : null;
  }, PROGRESS_MS);
  onUnmounted(() => {
    clearInterval(asking);
    preview.cancel();
  });
  return {
    picture,
    before,
    figures,
    readings,
    failure,
    drawing,
    baking,
    settledPicture: computed(() => settled.value?.picture ?? null),
    middleDistance: () => middleDistance,
  };
}

function sceneOf({ sceneId, sketchOf }: Wish): string {
  return sketchOf ?? sceneId;
}

function readingsOf(frame: RenderedFrame): Readings {
  const { views, width, height } = frame;
  return { ...edgeSource(frame), exposure: exposureSample(views.beauty, views.display, width, height) };
}

/** Copies, since a frame's memory is used again by the next one. */
export function edgeSource({ views, width, height, samples }: RenderedFrame): EdgeSource {
  const lit = new Float32Array(width * height);
  for (let i = 0; i < lit.length; i++) lit[i] = views.sums[i * SUMS + SUM_LIT] / samples;
  return { width, height, lit, objects: views.objectId.slice(0, lit.length) };
}
