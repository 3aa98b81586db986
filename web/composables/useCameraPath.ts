/** Where the camera of the shot goes: simple moves over a range of frames, and keys. */
import { computed, type Ref } from 'vue';
import type { Shot } from '@daxel/api/schemas';
import type { PathMove } from '../components/CameraPathFields.vue';
import { dollyPath, orbitPath, railPath, type CameraPath } from '@daxel/core/scene/cameraPath';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import { shotCamera } from '@daxel/core/scene/shotCamera';
import { DEFAULT_OPTICS } from '@daxel/core/scene/source';
import { useDocument } from '../stores/document';
import { sourceOf } from './useCamera';

export function useCameraPath(
  scene: Ref<CompiledScene | null>,
  shot: Ref<Shot | null>,
  range: () => { first: number; last: number },
) {
  const document = useDocument();
  const path = computed<CameraPath | null>(() =>
    scene.value && shot.value ? (sourceOf(scene.value, shot.value).path ?? null) : null,
  );
  function changePath(to: CameraPath | null, key: string): void {
    document.change({ path: to }, key);
  }
  /** From where the camera of the file stands at the first frame, about what lies at the focus distance. */
  function makeMove(kind: PathMove, amount: number): void {
    const [s, now] = [scene.value, shot.value];
    if (!s || !now) return;
    const { first, last } = range();
    const source = { ...sourceOf(s, { ...now, path: null }), take: undefined };
    const { world } = shotCamera(s, source, first / now.rate);
    const away = (source.optics ?? DEFAULT_OPTICS).focusDistance;
    const eye = [...world.subarray(12, 15)];
    const target = eye.map((v, c) => v - world[8 + c] * away);
    const start = { eye, target, first, last: Math.max(first + 1, last), rate: now.rate };
    const made = {
      orbit: () => orbitPath(start, amount),
      dolly: () => dollyPath(start, amount / 100),
      rail: () => railPath(start, amount),
    }[kind]();
    changePath(made, 'path move');
  }
  return { path, changePath, makeMove };
}
