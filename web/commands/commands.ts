/** Every action of the application with its key; the searchable list and the key help read this. */
import { onUnmounted, shallowReactive } from 'vue';

export interface Command {
  id: string;
  label: string;
  /** As `KeyboardEvent.key`, with `Ctrl+` and `Shift+` before it; Ctrl stands for Cmd on a Mac. */
  key?: string;
  group: string;
  /** What else it is found by. */
  words?: string;
  /** It is listed only for who looks for it: there are many like it. */
  searched?: true;
  run: () => void;
  enabled?: () => boolean;
}

const registered = shallowReactive(new Map<string, Command>());

export function allCommands(): Command[] {
  return [...registered.values()].filter((c) => c.enabled?.() !== false);
}

/**
 * What is listed for a text that was typed: all of its words are somewhere in it. What is named so comes before what is only
 * about it.
 */
export function findCommands(text: string): Command[] {
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const has = (where: string): boolean => words.every((w) => where.toLowerCase().includes(w));
  const all = allCommands().filter((c) => words.length > 0 || !c.searched);
  const named = all.filter((c) => has(`${c.label} ${c.group}`));
  return [...named, ...all.filter((c) => !named.includes(c) && has(`${c.label} ${c.group} ${c.words ?? ''}`))];
}

/** Adds commands for as long as the calling component lives. */
export function useCommands(commands: Command[]): void {
  for (const c of commands) registered.set(c.id, c);
  onUnmounted(() => {
    for (const c of commands) if (registered.get(c.id) === c) registered.delete(c.id);
  });
}

export function keyOf(event: KeyboardEvent): string {
  const name = event.key.length === 1 ? event.key.toUpperCase() : event.key;
  const shifted = event.shiftKey && (event.key.length > 1 || /[a-z]/i.test(event.key));
  return `${event.ctrlKey || event.metaKey ? 'Ctrl+' : ''}${shifted ? 'Shift+' : ''}${name}`;
}

/** A command's keys; the space bar is a key, not what stands between two. */
export function keysOf({ key }: Command): string[] {
  return key === ' ' ? [' '] : (key?.split(' ') ?? []);
}

/** Runs the command of a key, unless the artist is typing or a dialog is open. */
export function handleKey(event: KeyboardEvent): void {
  if (event.defaultPrevented || event.altKey) return;
  const key = keyOf(event);
  const target = event.target as HTMLElement;
  const typing = target.matches('input, textarea, select, [contenteditable]');
  // a marked circle or box takes no letters, only arrows and space
  const marking = target.matches('input[type=radio], input[type=checkbox]') && /^[A-Z0-9?]$/.test(key);
  if (typing && !marking && !key.startsWith('Ctrl+K')) return;
  if (document.querySelector('.v-overlay--active [role=dialog], .v-dialog.v-overlay--active') && key !== 'Ctrl+K')
    return;
  const command = allCommands().find((c) => keysOf(c).includes(key));
  if (!command) return;
  event.preventDefault();
  command.run();
}

export function showKey(key: string): string {
  const names: Record<string, string> = {
    ArrowLeft: '←',
    ArrowRight: '→',
    ArrowUp: '↑',
    ArrowDown: '↓',
    PageUp: 'Page ↑',
    PageDown: 'Page ↓',
    ' ': 'Space',
  };
  return key
    .split('+')
    .map((k) => names[k] ?? k)
    .join(' ');
}
