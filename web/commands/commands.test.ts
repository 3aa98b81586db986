import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { effectScope, type EffectScope } from 'vue';
import { allCommands, findCommands, handleKey, keyOf, keysOf, showKey, useCommands, type Command } from './commands';

const event = (key: string, more: Partial<KeyboardEvent> = {}): KeyboardEvent =>
  ({ key, ctrlKey: false, metaKey: false, shiftKey: false, ...more }) as KeyboardEvent;

describe('keys', () => {
  it('are named the same with Ctrl and Cmd, in capitals and not', () => {
    expect(keyOf(event('k', { ctrlKey: true }))).toBe('Ctrl+K');
    expect(keyOf(event('k', { metaKey: true }))).toBe('Ctrl+K');
    expect(keyOf(event('Z', { ctrlKey: true, shiftKey: true }))).toBe('Ctrl+Shift+Z');
    expect(keyOf(event('ArrowLeft', { shiftKey: true }))).toBe('Shift+ArrowLeft');
  });

  it('that need Shift on some keyboards are named by what they write', () => {
    expect(keyOf(event('?', { shiftKey: true }))).toBe('?');
    expect(keyOf(event('1'))).toBe('1');
  });

  it('are shown as on the keyboard', () => {
    expect(showKey('Shift+ArrowLeft')).toBe('Shift ←');
    expect(showKey('Ctrl+K')).toBe('Ctrl K');
  });
});

/** A key pressed while something has the focus; nothing in a test has a document. */
function pressed(
  key: string,
  focus = 'body',
  more: Partial<KeyboardEvent> = {},
): { taken: boolean; event: KeyboardEvent } {
  const result = { taken: false };
  const matches = (selectors: string): boolean => selectors.split(', ').includes(focus);
  const target = { matches } as unknown as HTMLElement;
  const preventDefault = (): void => void (result.taken = true);
  const made = event(key, { target, altKey: false, defaultPrevented: false, preventDefault, ...more });
  handleKey(made);
  return { taken: result.taken, event: made };
}

describe('commands', () => {
  let dialog = false;
  let scope: EffectScope;
  const done: string[] = [];
  const command = (id: string, key: string, enabled = true): Command => ({
    ...{ id, key, label: id, group: 'test', enabled: () => enabled },
    run: () => done.push(id),
  });
  beforeEach(() => {
    dialog = false;
    done.length = 0;
    scope = effectScope();
    vi.stubGlobal('document', { querySelector: () => (dialog ? {} : null) });
    // outside of components there is nothing to be unmounted
    vi.spyOn(console, 'warn').mockImplementation(() => undefined);
    scope.run(() =>
      useCommands([
        command('play', ' '),
        command('redo', 'Ctrl+Shift+Z Ctrl+Y'),
        command('list', 'Ctrl+K'),
        command('map', 'M'),
        command('never', 'N', false),
      ]),
    );
  });
  afterEach(() => {
    scope.stop();
    vi.unstubAllGlobals();
    vi.restoreAllMocks();
  });

  it('run by any of their keys, which then does nothing else', () => {
    expect(pressed('m').taken).toBe(true);
    pressed('y', 'body', { ctrlKey: true });
    pressed('z', 'body', { metaKey: true, shiftKey: true });
    pressed(' ');
    expect(done).toEqual(['map', 'redo', 'redo', 'play']);
    expect(pressed('q').taken).toBe(false);
  });

  it('that are not to be had are not listed, and their keys are left alone', () => {
    expect(pressed('n').taken).toBe(false);
    expect(allCommands().map((c) => c.id)).toEqual(['play', 'redo', 'list', 'map']);
    expect(done).toEqual([]);
  });

  it('leave letters to who is typing, but for the list', () => {
    for (const focus of ['input', 'textarea', 'select', '[contenteditable]'])
      expect(pressed('m', focus).taken).toBe(false);
    expect(pressed('k', 'input', { ctrlKey: true }).taken).toBe(true);
    expect(done).toEqual(['list']);
  });

  it('wait while a dialog is open, but for the list', () => {
    dialog = true;
    pressed('m');
    pressed('k', 'body', { ctrlKey: true });
    expect(done).toEqual(['list']);
  });

  it('take no key that someone else has taken, or that comes with Alt', () => {
    pressed('m', 'body', { defaultPrevented: true });
    pressed('m', 'body', { altKey: true });
    expect(done).toEqual([]);
  });

  it('are found by all words that are typed; what is named so comes first, and what is many only then', () => {
    scope.run(() =>
      useCommands([
        { ...command('a', ''), label: 'Filter', words: 'bands in maps', searched: true },
        { ...command('b', ''), label: 'Flicker map', words: '' },
        { ...command('c', ''), label: 'Map resolution', searched: true },
      ]),
    );
    const found = (text: string): string[] => findCommands(text).map((c) => c.id);
    expect(found('')).toEqual(['play', 'redo', 'list', 'map', 'b']);
    expect(found('MAP')).toEqual(['map', 'b', 'c', 'a']);
    expect(found('maps bands')).toEqual(['a']);
    expect(found('map nothing')).toEqual([]);
  });

  it('have several keys or none; the space bar is one', () => {
    expect(keysOf(command('a', 'Ctrl+Z Ctrl+Y'))).toEqual(['Ctrl+Z', 'Ctrl+Y']);
    expect(keysOf(command('a', ' '))).toEqual([' ']);
    expect(keysOf({ ...command('a', ''), key: undefined })).toEqual([]);
  });
});
