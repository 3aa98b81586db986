/** From descriptions of records (kernel/layouts.mjs) to the constants that each side reads them by. */

const BYTES = { f64: 8, f32: 4, i32: 4, u8: 1 };

/**
 * Where the fields of a record lie.
 * @param {import('./layouts.mjs').Layout} layout
 * @returns {{ places: { name: string, tells: string, byte: number }[], bytes: number }}
 */
export function placesOf({ name: of, kind, prefix = '', fields, align }) {
  let at = 0;
  const places = fields.map(({ name, kind: own = kind, many = 1, tells = '' }) => {
    at = Math.ceil(at / BYTES[own]) * BYTES[own];
    const place = { name: prefix + name, tells, byte: at };
    at += many * BYTES[own];
    return place;
  });
  if (new Set(places.map((p) => p.name)).size < places.length) throw new Error(`The layout ${of} has a name twice.`);
  const unit = align ?? BYTES[kind];
  return { places, bytes: Math.ceil(at / unit) * unit };
}

/** @param {string} tells */
const remark = (tells) => (tells ? ` // ${tells}` : '');

/** Constants for the compiled loops, in bytes. @param {import('./layouts.mjs').Layout} layout */
export function forLoops(layout) {
  const { places, bytes } = placesOf(layout);
  const lines = places.map((p) => `export const ${p.name}: usize = ${p.byte};${remark(p.tells)}`);
  return [
    `/** ${layout.tells} Made from kernel/layouts.mjs. */`,
    ...lines,
    `export const ${layout.size}_BYTES: usize = ${bytes};`,
    '',
  ].join('\n');
}

/** Numbers that mean the same. @param {import('./layouts.mjs').Names} names @param {boolean} loops the side of the loops */
export function namesFor({ tells, kind, names }, loops) {
  const lines = names.map((name, n) => `export const ${name}${loops ? `: ${kind}` : ''} = ${n};`);
  return [`/** ${tells} Made from kernel/layouts.mjs. */`, ...lines, ''].join('\n');
}

/** Constants for TypeScript, in numbers of the record's kind; of what does not begin where one does, in bytes. @param {import('./layouts.mjs').Layout} layout */
export function forTypeScript(layout) {
  const { places, bytes } = placesOf(layout);
  const size = BYTES[layout.kind];
  const lines = places.map((p) =>
    p.byte % size === 0
      ? `export const ${p.name} = ${p.byte / size};${remark(p.tells)}`
      : `export const ${p.name}_BYTE = ${p.byte};${remark(p.tells)}`,
  );
  return [
    `/** ${layout.tells} Made from kernel/layouts.mjs. */`,
    ...lines,
    `export const ${layout.size}_STRIDE = ${bytes / size};`,
    `export const ${layout.size}_BYTES = ${bytes};`,
    '',
  ].join('\n');
}
