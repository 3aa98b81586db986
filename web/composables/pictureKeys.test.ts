import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { effectScope, ref, type EffectScope } from 'vue';
import { VIEW_MODES, type ViewMode } from '@daxel/core/shading/views';
import { newLight, type RigLight } from '@daxel/core/light/rig';
import { allCommands, keysOf, type Command } from '../commands/commands';
import { useLightKeys } from './useLightKeys';
import { usePictureKeys, type PictureScreen } from './usePictureKeys';

let scope: EffectScope;
/** What was asked of the camera, the document and the rig, in order. */
const asked: unknown[][] = [];
const noting =
  (name: string) =>
  (...values: unknown[]): void =>
    void asked.push([name, ...values]);

function screen(): PictureScreen {
  return {
    camera: {
      orbitBy: noting('orbit'),
      panBy: noting('pan'),
      dollyBy: noting('dolly'),
      goBack: noting('back'),
    } as unknown as PictureScreen['camera'],
    document: {
      undo: noting('undo'),
      redo: noting('redo'),
      canUndo: false,
      canRedo: true,
    } as unknown as PictureScreen['document'],
    view: ref<ViewMode>(VIEW_MODES[0].id),
    zebra: ref(false),
  };
}
const command = (id: string): Command | undefined => allCommands().find((c) => c.id === id);
const run = (...ids: string[]): void => ids.forEach((id) => command(id)!.run());

beforeEach(() => {
  asked.length = 0;
  scope = effectScope();
  // outside of components there is nothing to be mounted
  vi.spyOn(console, 'warn').mockImplementation(() => undefined);
});
afterEach(() => {
  scope.stop();
  vi.restoreAllMocks();
});

describe('keys of screens with the picture', () => {
  it('look around: opposite keys take each other back', () => {
    scope.run(() => usePictureKeys(screen(), 'Tune'));
    run('left', 'right', 'up', 'down', 'pan-left', 'pan-right', 'pan-up', 'pan-down');
    const sums = new Map<unknown, number[]>();
    for (const [name, x, y] of asked as [string, number, number][]) {
      expect(Math.hypot(x, y)).toBeGreaterThan(0);
      const [a, b] = sums.get(name) ?? [0, 0];
      sums.set(name, [a + x, b + y]);
    }
    expect([...sums]).toEqual([
      ['orbit', [0, 0]],
      ['pan', [0, 0]],
    ]);
    asked.length = 0;
    run('closer', 'away', 'home');
    const [[, closer], [, away], back] = asked as [string, number][];
    expect(closer * away).toBeCloseTo(1, 12);
    expect(closer).toBeLessThan(1);
    expect(back).toEqual(['back']);
  });

  it('go through all views and begin anew', () => {
    const one = screen();
    scope.run(() => usePictureKeys(one, 'Tune'));
    const seen = VIEW_MODES.map(() => {
      run('view');
      return one.view.value;
    });
    expect(seen).toEqual([...VIEW_MODES.slice(1), VIEW_MODES[0]].map((v) => v.id));
  });

  it('switch the zebra, and hold the picture before', () => {
    const one = screen();
    const { holding } = scope.run(() => usePictureKeys(one, 'Tune'))!;
    run('zebra');
    expect(one.zebra.value).toBe(true);
    run('zebra');
    expect(one.zebra.value).toBe(false);
    expect(holding.value).toBe(false);
    run('before');
    expect(holding.value).toBe(true);
  });

  it('undo only what there is to undo', () => {
    scope.run(() => usePictureKeys(screen(), 'Tune'));
    expect(command('undo')).toBeUndefined();
    run('redo');
    expect(asked).toEqual([['redo']]);
    expect(keysOf(command('redo')!)).toEqual(['Ctrl+Shift+Z', 'Ctrl+Y']);
  });
});

describe('keys of the light screen', () => {
  const light = (id: string, more: Partial<RigLight> = {}): RigLight => ({ ...newLight('point', id, id), ...more });
  const begin = (lights: RigLight[], chosen: string | null) => {
    const held = { chosen: ref(chosen), lights: ref(lights) };
    scope.run(() =>
      useLightKeys({
        ...screen(),
        ...held,
        edits: { changeLight: noting('change') } as unknown as Parameters<typeof useLightKeys>[0]['edits'],
        addLight: noting('add'),
        copy: noting('copy'),
        remove: noting('remove'),
      }),
    );
    return held;
  };

  it('go from light to light, round and round', () => {
    const { chosen } = begin([light('a'), light('b'), light('c')], 'a');
    const after = (id: string): string | null => {
      run(id);
      return chosen.value;
    };
    expect(['next-light', 'next-light', 'next-light', 'last-light'].map(after)).toEqual(['b', 'c', 'a', 'c']);
  });

  it('do nothing to lights where none is chosen, but add them', () => {
    const { chosen } = begin([], null);
    run('next-light', 'last-light');
    expect(chosen.value).toBeNull();
    for (const id of ['solo', 'light-on', 'copy-light', 'delete-light']) expect(command(id)).toBeUndefined();
    run('add-sun', 'add-point', 'add-spot', 'add-area');
    expect(asked).toEqual([
      ['add', 'sun'],
      ['add', 'point'],
      ['add', 'spot'],
      ['add', 'area'],
    ]);
  });

  it('change the chosen light alone: to what it is not', () => {
    begin([light('a', { on: true, solo: false }), light('b', { on: false, solo: true })], 'b');
    run('solo', 'light-on', 'copy-light', 'delete-light');
    expect(asked).toEqual([['change', 'b', { solo: false }], ['change', 'b', { on: true }], ['copy'], ['remove', 'b']]);
  });

  it('no two of a screen are the same', () => {
    begin([light('a')], 'a');
    const keys = allCommands().flatMap(keysOf);
    expect(new Set(keys).size).toBe(keys.length);
    expect(allCommands().every((c) => c.label !== '' && c.group !== '')).toBe(true);
  });
});
