/** Names of frames in files: words in braces that stand for what a frame is, and a row of # for its number. */
import { frameDigits } from '@daxel/core/scene/shotTiming';

/** What a name may hold. */
export interface NamedFrame {
  shot: string;
  /** Number of the take, 0 without one. */
  take: number;
  tier: string;
  /** Day on which it was asked for, as in 2031-05-24. */
  date: string;
  /** Counts the times that frames of this shot were rendered out; 0 where nobody counts. */
  version: number;
}

/** The words, and what each stands for. */
export const NAME_TOKENS: Readonly<Record<string, (frame: NamedFrame) => string>> = {
  shot: ({ shot }) => safeName(shot),
  take: ({ take }) => `take${take}`,
  tier: ({ tier }) => tier,
  date: ({ date }) => date,
  version: ({ version }) => `v${String(version).padStart(3, '0')}`,
};

/** File systems and archives take names of 255 bytes, and a frame's has more to it than this. */
const MOST_NAME_BYTES = 120;

/** Letters, digits, dots, dashes and underlines; everything else becomes a dash. Cut where it is too long for a file. */
export function safeName(text: string): string {
  const plain = text.slice(0, MOST_NAME_BYTES).replace(/[^\p{L}\p{N}._-]+/gu, '-');
  const letters = [...plain];
  while (new TextEncoder().encode(letters.join('')).length > MOST_NAME_BYTES) letters.pop();
  return letters.join('');
}

/** Words in braces that stand for nothing. @param also other words that are known */
export function unknownTokens(naming: string, also: readonly string[] = []): string[] {
  return [...naming.matchAll(/\{([^{}]*)\}/g)]
    .map((m) => m[1])
    .filter((word) => !Object.hasOwn(NAME_TOKENS, word) && !also.includes(word));
}

/** What to say of them; empty when there are none. */
export function tokenProblem(naming: string, also: readonly string[] = []): string {
  const [unknown] = unknownTokens(naming, also);
  if (unknown === undefined) return '';
  const known = [...Object.keys(NAME_TOKENS), ...also].map((word) => `{${word}}`).join(', ');
  return `{${unknown}} stands for nothing: use ${known}, and #### for the frame`;
}

/** @param naming with words and a row of # @returns a file name without its ending */
export function frameName(naming: string, frame: NamedFrame, number: number): string {
  return naming
    .replace(/\{([^{}]*)\}/g, (all, word: string) =>
      Object.hasOwn(NAME_TOKENS, word) ? NAME_TOKENS[word](frame) : all,
    )
    .replace(/#+/g, (row) => frameDigits(number, row.length));
}
