/** What is random in the shot: takes tried side by side, one kept, its course frozen to keys. */
import { computed, type Ref } from 'vue';
import type { Shot } from '@daxel/api/schemas';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { freezeShake } from '@daxel/core/scene/shake';
import { shotCamera } from '@daxel/core/scene/shotCamera';
import { STILL_TAKE, type ShotTake } from '@daxel/core/scene/take';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';
import { sourceOf } from './useCamera';
import { useTakes, type TakesOrder } from './useTakes';

/** How many are looked at together. */
const TRIALS = 4;

/** @param trialOf frames of a trial and how they are rendered; null while that is not known */
export function useShotTake(
  scene: Ref<CompiledScene | null>,
  shot: Ref<Shot | null>,
  trialOf: () => Pick<TakesOrder, 'first' | 'last' | 'wish'> | null,
) {
  const document = useDocument();
  const notices = useNotices();
  const take = computed<ShotTake | null>(() => {
    if (!scene.value || !shot.value) return null;
    return sourceOf(scene.value, shot.value).take ?? STILL_TAKE;
  });
  /** Something besides the camera is random. */
  const random = computed(() => Boolean(scene.value?.meta.sways ?? scene.value?.meta.sparks));
  const takes = useTakes();

  /** @param first number of the first take that is tried */
  function tryTakes(first: number): void {
    const [s, now, chosen, trial] = [scene.value, shot.value, take.value, trialOf()];
    if (!s || !now || !chosen || !trial) return;
    const source = sourceOf(s, now);
    void takes.start({
      ...trial,
      numbers: Array.from({ length: TRIALS }, (_, i) => first + i),
      rate: now.rate,
      cameraOf: (number) => (timeSeconds) => shotCamera(s, { ...source, take: { ...chosen, number } }, timeSeconds),
    });
  }
  function changeTake(to: ShotTake, key: string): void {
    document.change({ take: to }, key);
  }
  function keepTake(number: number): void {
    if (take.value) changeTake({ ...take.value, number }, 'take number');
    takes.close();
  }
  /** Over all frames of the shot. */
  function freeze(): void {
    const [t, s] = [take.value, shot.value];
    if (!t || !s) return;
    try {
      changeTake({ ...t, keys: freezeShake(t, s.firstFrame, s.lastFrame, s.rate) }, 'take keys');
    } catch (error) {
      notices.flag(error);
    }
  }
  return { take, random, takes, tryTakes, changeTake, keepTake, freeze };
}
