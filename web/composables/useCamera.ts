/** The camera of the picture: the shot's own, or a free one that began there. */
import { computed, shallowRef, watch, type Ref } from 'vue';
import type { CameraView } from '@daxel/core/scene/camera';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { findShot, shotCamera } from '@daxel/core/scene/shotCamera';
import type { Shot } from '@daxel/api/schemas';
import { dolly, freeFrom, orbit, pan, viewOf, type FreeCamera } from '../render/freeCamera';

export function useCamera(scene: Ref<CompiledScene | null>, shot: Ref<Shot | null>, pivotDistance: () => number) {
  // shallow: what goes to a worker must not be a reactive proxy
  const free = shallowRef<FreeCamera | null>(null);
  const own = computed<CameraView | null>(() => {
    if (!scene.value || !shot.value) return null;
    const source = scene.value.meta.shots.some((s) => s.name === shot.value?.name)
      ? findShot(scene.value, shot.value.name)
      : scene.value.meta.shots[0];
    return shotCamera(scene.value, source, shot.value.frame / shot.value.rate);
  });
  const view = computed<CameraView | null>(() => (free.value ? viewOf(free.value) : own.value));
  watch(
    () => shot.value?.id,
    () => (free.value = null),
  );

  function move(change: (camera: FreeCamera) => FreeCamera): void {
    if (!own.value) return;
    free.value = change(free.value ?? freeFrom(own.value, pivotDistance()));
  }
  return {
    view,
    isFree: computed(() => free.value !== null),
    orbitBy: (yaw: number, pitch: number) => move((c) => orbit(c, yaw, pitch)),
    panBy: (right: number, up: number) => move((c) => pan(c, right, up)),
    dollyBy: (factor: number) => move((c) => dolly(c, factor)),
    goBack: () => (free.value = null),
  };
}
