/** Tables of colour in the .cube text form: a size, and rgb lines with red fastest. */
import { BadFileError } from '@daxel/core/errors';
import type { Lut } from '@daxel/core/film/lut';

const MOST_1D = 65536;
const MOST_3D = 129;
/** Longer texts are no table of these sizes. */
export const MOST_CUBE_BYTES = 160 * 2 ** 20;

type Triple = [number, number, number];

/**
 * @param file named in errors
 * @throws BadFileError naming file, line and remedy
 */
export function readCube(text: string, file: string): Lut {
  const wrong = (line: number, problem: string): BadFileError =>
    new BadFileError(file, `line ${line}: ${problem}`, 'Export the table again as .cube.');
  let name = '';
  let kind: Lut['kind'] | null = null;
  let size = 0;
  let min: Triple = [0, 0, 0];
  let max: Triple = [1, 1, 1];
  let table: Float32Array | null = null;
  let filled = 0;
  let line = 0;
  for (const raw of lines(text)) {
    line++;
    const content = raw.trim();
    if (content === '' || content.startsWith('#')) continue;
    const [word, ...rest] = content.split(/\s+/);
    if (/^[A-Z_]/.test(word) && Number.isNaN(Number(word))) {
      if (table) throw wrong(line, `${word} comes after the table began`);
      if (word === 'TITLE') name = content.slice(5).trim().replace(/^"|"$/g, '').slice(0, 80);
      else if (word === 'LUT_1D_SIZE' || word === 'LUT_3D_SIZE') {
        if (kind) throw wrong(line, 'a second size is given');
        kind = word === 'LUT_1D_SIZE' ? '1D' : '3D';
        size = Number(rest[0]);
        const most = kind === '1D' ? MOST_1D : MOST_3D;
        if (!Number.isInteger(size) || size < 2 || size > most)
          throw wrong(line, `the size must be a whole number from 2 to ${most}`);
      } else if (word === 'DOMAIN_MIN') min = triple(rest, line, wrong);
      else if (word === 'DOMAIN_MAX') max = triple(rest, line, wrong);
      else if (word === 'LUT_1D_INPUT_RANGE' || word === 'LUT_3D_INPUT_RANGE') {
        const [from, to] = rest.map(Number);
        if (!Number.isFinite(from) || !Number.isFinite(to)) throw wrong(line, 'a range has two numbers');
        [min, max] = [
          [from, from, from],
          [to, to, to],
        ];
      } else throw wrong(line, `${word.slice(0, 40)} is not known`);
      continue;
    }
    if (!kind) throw wrong(line, 'numbers come before LUT_1D_SIZE or LUT_3D_SIZE');
    table ??= new Float32Array(3 * (kind === '1D' ? size : size ** 3));
    if (filled === table.length) throw wrong(line, `there are more than the ${table.length / 3} lines of this size`);
    table.set(triple([word, ...rest], line, wrong), filled);
    filled += 3;
  }
  if (!kind || !table) throw new BadFileError(file, 'it holds no table', 'Export the table again as .cube.');
  if (filled < table.length) throw wrong(line, `the table ends after ${filled / 3} of ${table.length / 3} lines`);
  for (let c = 0; c < 3; c++)
    if (!(max[c] > min[c])) throw new BadFileError(file, 'its domain is empty', 'Export the table again as .cube.');
  return { name: name || file.replace(/\.cube$/i, ''), kind, size, domain: { min, max }, table };
}

/** Line by line: a text of many megabytes is not cut up at once. */
function* lines(text: string): Generator<string> {
  let from = 0;
  while (from <= text.length) {
    const end = text.indexOf('\n', from);
    yield text.slice(from, end < 0 ? text.length : end);
    if (end < 0) return;
    from = end + 1;
  }
}

function triple(words: string[], line: number, wrong: (line: number, problem: string) => Error): Triple {
  const numbers = words.map(Number);
  if (numbers.length !== 3 || !numbers.every(Number.isFinite)) throw wrong(line, 'three numbers are expected');
  return numbers as Triple;
}
