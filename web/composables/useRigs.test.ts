import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { computed } from 'vue';
import { MOST_RIGS, type Shot, type StoredRig } from '@daxel/api/schemas';
import { newLight, type Rig } from '@daxel/core/light/rig';
import { api } from '../api/client';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';
import { useRigs } from './useRigs';

const lamp = newLight('point', 'lamp', 'lamp');
const rig = (id: string, lights = [lamp]): StoredRig =>
  ({ id, name: `rig ${id}`, lights, exposureEv: 0, environment: { kind: 'none' } }) as unknown as StoredRig;
const shot = (rigs: StoredRig[]): Shot =>
  ({
    ...{ id: 's', sceneId: 'c', name: 'one', firstFrame: 0, lastFrame: 10, rate: 24, handles: 0, frame: 0, seed: 1 },
    ...{ recipe: { name: 'r', draft: {}, final: {} }, patches: [], version: 1, thumbnail: null, hint: null },
    ...{ rigs, rigId: rigs[0].id },
  }) as unknown as Shot;

async function opened(rigs: StoredRig[]) {
  const document = useDocument();
  await document.open(shot(rigs));
  const all = computed(() => document.shot!.rigs);
  const active = computed(() => all.value.find((r) => r.id === document.shot!.rigId) ?? null);
  return { document, all, active, ...useRigs(all, active) };
}

beforeEach(() => {
  vi.useFakeTimers();
  setActivePinia(createPinia());
  vi.spyOn(api, 'changeShot').mockImplementation((_id, change) =>
    Promise.resolve({ ...shot([rig('a')]), ...change, version: change.version + 1 } as Shot),
  );
});
afterEach(() => {
  vi.useRealTimers();
  vi.restoreAllMocks();
});

describe('rigs', () => {
  it('are kept at the end of the row and shown, and one step takes that back', async () => {
    const { document, all, active, duplicate } = await opened([rig('a'), rig('b')]);
    duplicate('a');
    expect(all.value.map((r) => r.name)).toEqual(['rig a', 'rig b', 'rig a copy']);
    expect(active.value?.name).toBe('rig a copy');
    expect(new Set(all.value.map((r) => r.id)).size).toBe(3);
    document.undo();
    expect([all.value.length, active.value?.id]).toEqual([2, 'a']);
  });

  it('are twelve at most, which is said', async () => {
    const { keep, full } = await opened(Array.from({ length: MOST_RIGS }, (_, i) => rig(`r${i}`)));
    expect(full.value).toBe(true);
    keep(rig('new') as Rig);
    expect(useDocument().shot!.rigs.length).toBe(MOST_RIGS);
    expect(useNotices().current?.text).toContain('at most 12 rigs');
  });

  it('that are deleted make way for the first one left, and can be had back', async () => {
    const { all, active, remove } = await opened([rig('a'), rig('b')]);
    remove('a');
    expect([all.value.map((r) => r.id), active.value?.id]).toEqual([['b'], 'b']);
    // the last one stays
    remove('b');
    expect(all.value.length).toBe(1);
    useNotices().current?.action?.run();
    expect(all.value.map((r) => r.id)).toEqual(['a', 'b']);
  });

  it('keep the one that is shown when another is deleted or renamed', async () => {
    const { active, all, remove, rename } = await opened([rig('a'), rig('b'), rig('c')]);
    remove('c');
    rename('b', 'Dusk');
    expect([active.value?.id, all.value[1].name]).toEqual(['a', 'Dusk']);
  });
});

describe('lights of a rig', () => {
  it('are added, copied beside themselves and deleted', async () => {
    const { active, addLight, copyLight, removeLight } = await opened([rig('a')]);
    const id = addLight('spot', { position: [1, 2, 3] })!;
    expect(active.value?.lights.map((l) => l.name)).toEqual(['lamp', 'spot 2']);
    copyLight(id);
    const copy = active.value!.lights[2];
    expect([copy.name, copy.kind]).toEqual(['spot 2 copy', 'spot']);
    expect(copy.position[0]).toBeCloseTo(1.2, 9);
    expect(copyLight('gone')).toBeNull();
    removeLight(id);
    expect(active.value?.lights.length).toBe(2);
    expect(useNotices().current?.text).toBe('Light spot 2 was deleted.');
  });

  it('that are dragged change in one step, each thing by itself', async () => {
    const { document, active, changeLight } = await opened([rig('a')]);
    for (const intensity of [10, 20, 30]) changeLight('lamp', { intensity });
    changeLight('lamp', { position: [0, 9, 0] });
    expect(active.value?.lights[0]).toMatchObject({ intensity: 30, position: [0, 9, 0] });
    document.undo();
    expect(active.value?.lights[0].intensity).toBe(30);
    document.undo();
    expect(active.value?.lights[0].intensity).toBe(lamp.intensity);
  });
});
