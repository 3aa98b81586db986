import { describe, expect, it } from 'vitest';
import { keyOf, showKey } from './commands';

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
