import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { LAYOUTS, NAMES } from '../kernel/layouts.mjs';
import { forLoops, forTypeScript, placesOf, type Layout } from './layouts.mjs';

const kernel = join(import.meta.dirname, '..', 'kernel');
const SIZES = { f64: 8, f32: 4, i32: 4, u8: 1 };
/** Constants that a text declares. */
const constantsOf = (text: string): Map<string, number> =>
  new Map(
    [...text.matchAll(/^export const (\w+)(?:: \w+)? = (\d+);/gm)].map(([, name, value]) => [name, Number(value)]),
  );

describe('layouts of records', () => {
  it.each(LAYOUTS.map((l) => [l.name, l] as const))('%s: both sides are built from one description', (name, layout) => {
    const loops = readFileSync(join(kernel, 'assembly', 'layouts', `${name}.ts`), 'utf8');
    const ours = readFileSync(join(kernel, 'generated', 'layouts', `${name}.ts`), 'utf8');
    // neither is edited by hand, nor older than the description
    expect([loops, ours]).toEqual([forLoops(layout), forTypeScript(layout)]);
    const bytes = constantsOf(loops);
    for (const [constant, value] of constantsOf(ours)) {
      if (constant.endsWith('_STRIDE')) continue;
      // what does not begin where a number of the record's kind does is told in bytes
      const inBytes = /_BYTES?$/.test(constant);
      expect([constant, value * (inBytes ? 1 : SIZES[layout.kind])]).toEqual([
        constant,
        bytes.get(constant.replace(/_BYTE$/, '')),
      ]);
    }
  });

  it('put each field behind the one before it, at a multiple of its size', () => {
    const layout: Layout = {
      name: 'some',
      tells: 'Some.',
      kind: 'f64',
      size: 'SOME',
      fields: [
        { name: 'A', kind: 'u8' },
        { name: 'B', kind: 'i32', many: 2 },
        { name: 'C' },
        { name: 'D', kind: 'u8' },
      ],
    };
    expect(placesOf(layout)).toMatchObject({
      places: [{ byte: 0 }, { byte: 4 }, { byte: 16 }, { byte: 24 }],
      bytes: 32,
    });
    expect(placesOf({ ...layout, align: 64 }).bytes).toBe(64);
    const moved = { ...layout, fields: layout.fields.toReversed() };
    expect(forLoops(moved)).not.toBe(forLoops(layout));
    expect(forTypeScript(moved)).not.toBe(forTypeScript(layout));
    expect(() => placesOf({ ...layout, fields: [{ name: 'A' }, { name: 'A' }] })).toThrow(
      'The layout some has a name twice.',
    );
  });

  it('are declared nowhere else', () => {
    const names = [
      ...LAYOUTS.flatMap((l) => [...placesOf(l).places.map((p) => p.name), `${l.size}_BYTES`]),
      ...NAMES.flatMap((n) => n.names),
    ];
    // short names mean other things in other records
    const own = new RegExp(`const (${names.filter((n) => n.includes('_')).join('|')})\\b.*= \\d`);
    const assembly = join(kernel, 'assembly');
    for (const file of readdirSync(assembly).filter((f) => f.endsWith('.ts')))
      expect([file, own.exec(readFileSync(join(assembly, file), 'utf8'))?.[0]]).toEqual([file, undefined]);
  });
});
