import { describe, expect, it } from 'vitest';
import { canonicalJson } from './canonical';

describe('canonical JSON', () => {
  it('is the same in whatever order parts come, and tells all else apart', () => {
    const one = { b: [{ y: 1, x: null }], a: { d: 'd', c: true } };
    const other = { a: { c: true, d: 'd' }, b: [{ x: null, y: 1 }] };
    expect(canonicalJson(one)).toBe(canonicalJson(other));
    expect(JSON.parse(canonicalJson(one))).toEqual(one);
    expect(canonicalJson([1, 2])).not.toBe(canonicalJson([2, 1]));
    expect(canonicalJson({ a: 1 })).not.toBe(canonicalJson({ a: 2 }));
    expect(canonicalJson({ a: undefined })).toBe('{}');
  });
});
