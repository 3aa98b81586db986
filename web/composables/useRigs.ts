/** Edits of a shot's rigs, each one a step of undo. */
import { computed, type Ref } from 'vue';
import { MOST_RIGS, type StoredRig } from '@daxel/api/schemas';
import { MOST_LIGHTS, newLight, type Rig, type RigLight } from '@daxel/core/light/rig';
import { keepingTotal, turnedWith } from '@daxel/core/light/reshape';
import { keepsTotal } from './keepsTotal';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';

const freshId = (): string => crypto.randomUUID().slice(0, 8);

export function useRigs(rigs: Ref<StoredRig[]>, active: Ref<StoredRig | null>) {
  const document = useDocument();
  const notices = useNotices();
  const plain = <T>(value: T): T => JSON.parse(JSON.stringify(value)) as T;

  function put(next: StoredRig[], rigId: string | null, key: string): void {
    document.change({ rigs: plain(next), rigId }, key);
  }
  /** @param key names the kind of change, so that a drag is one step */
  function change(change: Partial<Rig>, key: string): void {
    const id = active.value?.id;
    if (!id) return;
    put(
      rigs.value.map((r) => (r.id === id ? { ...r, ...change } : r)),
      id,
      `rig ${id} ${key}`,
    );
  }
  function changeLight(lightId: string, part: Partial<RigLight>): void {
    const current = active.value;
    if (!current) return;
    const lights = current.lights.map((l) =>
      l.id === lightId ? { ...l, ...(keepsTotal.value ? keepingTotal(l, part) : part) } : l,
    );
    change({ lights }, `light ${lightId} ${Object.keys(part).join()}`);
  }
  /** Other surroundings; a sun that was split off their picture turns with it. */
  function surround(environment: Rig['environment'], key: string): void {
    if (active.value) change(turnedWith(active.value, environment), `surroundings ${key}`);
  }
  function addLight(kind: RigLight['kind'], place: Partial<RigLight>): string | null {
    const current = active.value;
    if (!current) return null;
    if (current.lights.length >= MOST_LIGHTS) {
      notices.say(`A rig holds at most ${MOST_LIGHTS} lights.`);
      return null;
    }
    const id = freshId();
    const light = { ...newLight(kind, id, `${kind} ${current.lights.length + 1}`), ...place };
    change({ lights: [...current.lights, light] }, `add ${id}`);
    return id;
  }
  function copyLight(lightId: string): string | null {
    const light = active.value?.lights.find((l) => l.id === lightId);
    if (!light) return null;
    const { id: _id, kind, follows: _follows, ...rest } = plain(light);
    const [x, y, z] = rest.position;
    return addLight(kind, { ...rest, name: `${rest.name} copy`, position: [x + 0.2, y, z] });
  }
  function removeLight(lightId: string): void {
    const current = active.value;
    const gone = current?.lights.find((l) => l.id === lightId);
    if (!current || !gone) return;
    change({ lights: current.lights.filter((l) => l.id !== lightId) }, `remove ${lightId}`);
    notices.say(`Light ${gone.name} was deleted.`, { label: 'Undo', run: document.undo });
  }
  function choose(id: string): void {
    if (active.value?.id !== id) put(rigs.value, id, `choose ${id}`);
  }
  /** Keeps a rig as a new one, at the end of the row, and shows it. */
  function keep(rig: Rig): void {
    if (rigs.value.length >= MOST_RIGS) {
      notices.say(`A shot holds at most ${MOST_RIGS} rigs. Delete one first.`);
      return;
    }
    const id = freshId();
    put([...rigs.value, { ...plain(rig), id }], id, `keep ${id}`);
  }
  function duplicate(id: string): void {
    const rig = rigs.value.find((r) => r.id === id);
    if (!rig) return;
    const { id: _id, ...rest } = rig;
    keep({ ...rest, name: `${rest.name} copy`.slice(0, 80) });
  }
  function rename(id: string, name: string): void {
    put(
      rigs.value.map((r) => (r.id === id ? { ...r, name } : r)),
      active.value?.id ?? null,
      `rename ${id}`,
    );
  }
  function remove(id: string): void {
    const gone = rigs.value.find((r) => r.id === id);
    if (!gone || rigs.value.length < 2) return;
    const left = rigs.value.filter((r) => r.id !== id);
    const next = active.value?.id === id ? left[0].id : (active.value?.id ?? left[0].id);
    put(left, next, `remove ${id}`);
    notices.say(`Rig ${gone.name} was deleted.`, { label: 'Undo', run: document.undo });
  }
  return {
    change,
    changeLight,
    surround,
    addLight,
    copyLight,
    removeLight,
    choose,
    keep,
    duplicate,
    rename,
    remove,
    full: computed(() => rigs.value.length >= MOST_RIGS),
  };
}
