/** The light a shot is shown in: its rigs, the chosen one, and what it needs loaded. */
import { computed, shallowRef, toRaw, type Ref } from 'vue';
import type { Shot, StoredRig } from '@daxel/api/schemas';
import { rigLighting, sceneRig, type Rig } from '@daxel/core/light/rig';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import type { Lighting } from '@daxel/core/scene/source';
import { unpackPicture } from '@daxel/formats/environment/storedPicture';
import { api } from '../api/client';
import { renderPool } from './useShot';

/** Pictures that the render workers hold, by hash; shared by all screens as the workers are. */
const held = shallowRef<ReadonlySet<string>>(new Set());
const asked = new Set<string>();

async function loadPicture(hash: string, onError: (error: unknown) => void): Promise<void> {
  if (asked.has(hash)) return;
  asked.add(hash);
  try {
    renderPool().setPicture(hash, unpackPicture(await api.environment(hash)));
    held.value = new Set([...held.value, hash]);
  } catch (error) {
    asked.delete(hash);
    onError(error);
  }
}

export function useLighting(
  scene: Ref<CompiledScene | null>,
  shot: Ref<Shot | null>,
  onError: (error: unknown) => void,
) {
  /** Never empty once the scene is there: a shot without rigs has its scene's own light. */
  const rigs = computed<StoredRig[]>(() => {
    if (shot.value && shot.value.rigs.length > 0) return shot.value.rigs;
    return scene.value ? [{ ...sceneRig(scene.value), id: 'rig-1' }] : [];
  });
  const active = computed(() => rigs.value.find((r) => r.id === shot.value?.rigId) ?? rigs.value[0] ?? null);

  /** What a rig gives the renderer: plain objects, since workers take no proxies; null until its picture is there. */
  function lightingOf(rig: Rig): Lighting | null {
    return lit(rig)?.lighting ?? null;
  }
  function lit(rig: Rig): { lighting: Lighting; lost: string[] } | null {
    if (!scene.value) return null;
    const plain = JSON.parse(JSON.stringify(toRaw(rig))) as Rig;
    const { kind, picture } = plain.environment;
    if (kind === 'picture' && picture && picture !== 'scene' && !held.value.has(picture)) {
      void loadPicture(picture, onError);
      return null;
    }
    return rigLighting(plain, scene.value.meta);
  }
  const shown = computed(() => (active.value ? lit(active.value) : null));
  const lighting = computed(() => shown.value?.lighting ?? null);
  /** Names of lights that lost the node that carried them. */
  const lost = computed(() => shown.value?.lost ?? []);
  return { rigs, active, lighting, lost, lightingOf };
}
