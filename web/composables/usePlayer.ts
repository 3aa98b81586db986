/** Plays the frames of a run at its rate, by the clock: late frames are left out rather than slowing it down. */
import { computed, onUnmounted, ref, watch, type Ref } from 'vue';

export interface Playable {
  first: number;
  /** How many frames there are so far. */
  count: number;
  rate: number;
}

export function usePlayer(run: Ref<Playable | null>, now: () => number = () => performance.now()) {
  const frame = ref(0);
  const playing = ref(false);
  const loop = ref(true);
  let origin = { time: 0, frame: 0 };
  let request = 0;

  const last = computed(() => (run.value ? run.value.first + run.value.count - 1 : 0));
  watch(
    () => run.value?.first,
    (first) => {
      playing.value = false;
      frame.value = first ?? 0;
    },
    { immediate: true },
  );
  const clamp = (n: number): number => Math.min(last.value, Math.max(run.value?.first ?? 0, n));

  function go(to: number): void {
    frame.value = clamp(Math.round(to));
    origin = { time: now(), frame: frame.value };
  }
  function step(by: number): void {
    playing.value = false;
    go(frame.value + by);
  }
  /** The frame that is due; ends at the last one unless it loops. */
  function tick(): void {
    const r = run.value;
    if (!r || !playing.value) return;
    const due = origin.frame + Math.floor(((now() - origin.time) / 1000) * r.rate);
    if (due <= last.value) frame.value = clamp(due);
    else if (loop.value) go(r.first);
    else {
      frame.value = last.value;
      playing.value = false;
      return;
    }
    request = requestAnimationFrame(tick);
  }
  function toggle(): void {
    if (!run.value || run.value.count < 2) return;
    playing.value = !playing.value;
    if (!playing.value) return cancelAnimationFrame(request);
    go(frame.value >= last.value ? run.value.first : frame.value);
    request = requestAnimationFrame(tick);
  }
  onUnmounted(() => {
    playing.value = false;
    cancelAnimationFrame(request);
  });
  return { frame, last, playing, loop, go, step, toggle };
}
