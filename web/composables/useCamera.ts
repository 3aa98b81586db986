/** The camera of the picture: the shot's own, or a free one that began there. */
import { computed, shallowRef, watch, type Ref } from 'vue';
import type { CameraView } from '@daxel/core/scene/camera';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { shotCamera, withSetup } from '@daxel/core/scene/shotCamera';
import type { ShotSource } from '@daxel/core/scene/source';
import type { Shot } from '@daxel/api/schemas';
import { dolly, freeFrom, orbit, pan, viewOf, type FreeCamera } from '../render/freeCamera';

/** The scene's shot that a stored one was made from; its first when that is gone. */
export function sourceOf({ meta }: CompiledScene, { name, optics, take, path, rate }: Shot): ShotSource {
  const source = meta.shots.find((s) => s.name === name) ?? meta.shots[0];
  // what goes to a worker must not be a reactive proxy
  return withSetup(
    source,
    JSON.parse(JSON.stringify({ optics, take, path, rate })) as Pick<Shot, 'optics' | 'take' | 'path' | 'rate'>,
  );
}

export function useCamera(scene: Ref<CompiledScene | null>, shot: Ref<Shot | null>, pivotDistance: () => number) {
  // shallow: what goes to a worker must not be a reactive proxy
  const free = shallowRef<FreeCamera | null>(null);
  const own = computed<CameraView | null>(() => {
    if (!scene.value || !shot.value) return null;
    return shotCamera(scene.value, sourceOf(scene.value, shot.value), shot.value.frame / shot.value.rate);
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
    /** Where a free camera stands and what it turns about; null for the shot's own. */
    place: computed(() => free.value && { eye: free.value.eye, target: free.value.pivot }),
  };
}
