/** Two rigs mixed by a slider: their finished pictures are added as light, so the picture follows the hand at once. */
import { computed, ref, shallowRef, watch, type Ref } from 'vue';
import type { StoredRig } from '@daxel/api/schemas';
import { requestKey } from '@daxel/core/frame/requestKey';
import type { FrameRequest } from '@daxel/core/frame/renderPool';
import { mixPictures } from '@daxel/core/film/mix';
import type { ToneCurve } from '@daxel/core/film/tone';
import { exposedBy, type Rig } from '@daxel/core/light/rig';
import type { ResolvedRecipe } from '@daxel/core/recipe/recipe';
import type { Lighting } from '@daxel/core/scene/source';
import { coarseRecipe, type Picture } from '../render/preview';
import { renderPool } from './useShot';

interface Side {
  beauty: Float32Array;
  width: number;
  height: number;
  tone: ToneCurve;
}
/** The small pair is so much smaller a side. */
const QUICK = 2;

export function useBlend(
  rigs: Ref<StoredRig[]>,
  active: Ref<StoredRig | null>,
  base: Ref<Omit<FrameRequest, 'lighting'> | null>,
  lightingOf: (rig: Rig) => Lighting | null,
) {
  const partnerId = ref<string | null>(null);
  const amount = ref(0.5);
  const drawing = ref(false);
  const failure = ref<string | null>(null);
  const sides = shallowRef<[Side, Side] | null>(null);
  const partner = computed(() => rigs.value.find((r) => r.id === partnerId.value && r.id !== active.value?.id) ?? null);

  function requestOf(rig: StoredRig): FrameRequest | null {
    const lighting = lightingOf(rig);
    if (!base.value || !lighting) return null;
    // bloom and vignette belong to the finished picture and are left out of the mix
    const recipe: ResolvedRecipe = { ...exposedBy(base.value.recipe, rig), 'lens.bloom': 0, 'lens.vignette': 0 };
    return { ...base.value, recipe, lighting };
  }
  async function draw(rig: StoredRig, quick: boolean): Promise<Side | null> {
    const request = requestOf(rig);
    if (!request) return null;
    const recipe = quick ? coarseRecipe(request.recipe, QUICK) : request.recipe;
    const frame = await renderPool().render({ ...request, recipe }).promise;
    const { width, height } = frame;
    const tone = recipe['lens.tone'] as ToneCurve;
    return { beauty: frame.views.beauty.slice(0, width * height * 3), width, height, tone };
  }
  let wish = 0;
  // by what they show and not by the objects: each time the shot is saved these are new ones
  const pair = computed(() => {
    const requests = [active.value, partner.value].map((rig) => rig && requestOf(rig));
    return requests.every((r) => r) ? requests.map((r) => requestKey(r!)).join('\n') : null;
  });
  watch(pair, async () => {
    const mine = ++wish;
    sides.value = null;
    const [a, b] = [active.value, partner.value];
    if (!a || !b) return;
    drawing.value = true;
    failure.value = null;
    try {
      // a small pair at once, so that the slider answers; then one at full size
      for (const quick of [true, false]) {
        const first = await draw(a, quick);
        if (mine !== wish) return;
        const second = first && (await draw(b, quick));
        if (mine !== wish) return;
        if (first && second) sides.value = [first, second];
      }
    } catch (error) {
      if (mine === wish) failure.value = (error as Error).message;
    } finally {
      if (mine === wish) drawing.value = false;
    }
  });

  const picture = computed<Picture | null>(() => {
    if (!sides.value) return null;
    const [a, b] = sides.value;
    const { width, height, tone } = a;
    const codes = new Uint8ClampedArray(width * height * 4);
    mixPictures(a.beauty, b.beauty, amount.value, tone, codes);
    return { width, height, codes, samples: 1, coarse: false };
  });
  return { partnerId, partner, amount, drawing, failure, picture };
}
