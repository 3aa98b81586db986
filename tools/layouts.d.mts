/** What kinds of numbers a record is made of. */
export type Kind = 'f64' | 'f32' | 'i32' | 'u8';

export interface Field {
  name: string;
  /** Absent where it is of the record's kind. */
  kind?: Kind;
  /** One where it is absent. */
  many?: number;
  /** What it holds, where its name does not say so. */
  tells?: string;
}

export interface Layout {
  name: string;
  tells: string;
  kind: Kind;
  /** Before the names of its fields. */
  prefix?: string;
  /** What the constants of its size begin with. */
  size: string;
  fields: readonly Field[];
  /** Records start at multiples of so many bytes. */
  align?: number;
}

/** Names of numbers from 0 on. */
export interface Names {
  name: string;
  tells: string;
  kind: 'i32' | 'f32';
  names: readonly string[];
}

export function placesOf(layout: Layout): { places: { name: string; tells: string; byte: number }[]; bytes: number };
export function forLoops(layout: Layout): string;
export function forTypeScript(layout: Layout): string;
export function namesFor(names: Names, loops: boolean): string;
