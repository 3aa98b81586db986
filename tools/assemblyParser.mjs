/**
 * Lets Prettier and ESLint read AssemblyScript: decorators of functions, which TypeScript does not know, are taken for
 * comments of the same length while a file is parsed, and stand as they are in what is printed.
 */
import tseslint from 'typescript-eslint';
import { parsers as typescript } from 'prettier/plugins/typescript';

const plain = (text) => text.replace(/^@(?=\w)(.)/gm, '//');

export const parsers = {
  assembly: { ...typescript.typescript, parse: (text, options) => typescript.typescript.parse(plain(text), options) },
};
export const languages = [{ name: 'AssemblyScript', parsers: ['assembly'] }];

/** For ESLint. */
export const assemblyParser = {
  meta: { name: 'assembly' },
  parseForESLint: (text, options) => tseslint.parser.parseForESLint(plain(text), options),
};
