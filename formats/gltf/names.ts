/** Names and notes from a file as they are kept: short, and of characters that any place can hold. */

const MOST_NAME = 120;
const MOST_NOTE = 400;

export const shortName = (text: string): string => cut(text, MOST_NAME);
export const shortNote = (text: string): string => cut(text, MOST_NOTE);

function cut(text: string, most: number): string {
  const clean = text.replace(/\p{Cc}/gu, ' ').slice(0, most);
  // with the u flag a pair of surrogates is one character, and a half that is matched stands alone
  return clean.replace(/[\uD800-\uDFFF]/gu, '').trim();
}
