/**
 * Writes the constants of both sides from kernel/layouts.mjs, compiles kernel/assembly to WebAssembly and writes it, with the
 * types of what it exports, as modules that are loaded alike everywhere.
 */
import { mkdirSync, readdirSync, readFileSync, renameSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';
import { LAYOUTS, LIGHT_COMPONENTS, NAMES } from '../kernel/layouts.mjs';
import { forLoops, forTypeScript, namesFor } from './layouts.mjs';

const kernel = join(dirname(fileURLToPath(import.meta.url)), '..', 'kernel');
const source = join(kernel, 'assembly');
const generated = join(kernel, 'generated');
const target = join(generated, 'kernelWasm.ts');
/** What the loops read of the layouts; the others read what lies in `generated`. */
const layouts = join(source, 'layouts');
const descriptions = [join(kernel, 'layouts.mjs'), fileURLToPath(new URL('layouts.mjs', import.meta.url))];

function stale() {
  try {
    const made = statSync(target).mtimeMs;
    const from = readdirSync(source, { withFileTypes: true }).filter((f) => f.isFile());
    return [...from.map((f) => join(source, f.name)), ...descriptions, fileURLToPath(import.meta.url)].some(
      (f) => statSync(f).mtimeMs > made,
    );
  } catch {
    return true;
  }
}

/** Also the global set-up of the tests. */
export default async function buildKernel() {
  if (!stale()) return;
  for (const layout of LAYOUTS) {
    write(join(layouts, `${layout.name}.ts`), forLoops(layout));
    write(join(generated, 'layouts', `${layout.name}.ts`), forTypeScript(layout));
  }
  const listed = `[${LIGHT_COMPONENTS.map((c) => `'${c}'`).join(', ')}]`;
  write(
    join(generated, 'layouts', 'lightComponents.ts'),
    `/** Made from kernel/layouts.mjs. */\nexport const LIGHT_COMPONENTS = ${listed} as const;\n`,
  );
  for (const names of NAMES) {
    write(join(layouts, `${names.name}.ts`), namesFor(names, true));
    write(join(generated, 'layouts', `${names.name}.ts`), namesFor(names, false));
  }
  const asc = (await import('assemblyscript/asc')).default;
  const args = [
    join(source, 'index.ts'),
    ...['--baseDir', source, '--outFile', 'kernel.wasm', '--runtime', 'stub', '--use', 'abort=', '-O3', '--noAssert'],
    ...['--bindings', 'raw'],
    // the memory is the caller's: shared, of any size
    ...['--importMemory', '--sharedMemory', '--initialMemory', '1', '--maximumMemory', '65536', '--noExportMemory'],
    ...['--enable', 'simd', '--enable', 'threads', '--disable', 'relaxed-simd'],
  ];
  const made = {};
  const { error, stderr } = await asc.main(args, {
    readFile: (name, base) => {
      try {
        return readFileSync(join(base, name), 'utf8');
      } catch {
        return null;
      }
    },
    writeFile: (name, contents) => {
      made[name] = contents;
    },
    listFiles: () => [],
  });
  const { 'kernel.wasm': bytes, 'kernel.d.ts': types } = made;
  if (error || !bytes || !types) throw new Error(`The kernel could not be compiled.\n${stderr}`);
  write(join(generated, 'kernelExports.ts'), exportTypes(types));
  const text = `/** Made by tools/buildKernel.mjs from kernel/assembly. */\nexport const KERNEL_WASM =\n  '${Buffer.from(bytes).toString('base64')}';\n`;
  // last, for its age says whether all of this is to be made again
  write(target, text);
}

/** The functions that are exported, as the members of an interface. @param types declarations that the compiler wrote */
function exportTypes(types) {
  const functions = [...types.matchAll(/export function (\w+)\(([^)]*)\): (\w+);/g)];
  if (functions.length === 0) throw new Error('The compiler declared no function: its declarations have another form.');
  const members = functions.map(([, name, parameters, result]) => {
    // some names of the loops end in a line, where they keep the value under the name itself
    const declared = `  ${name}(${parameters.replace(/(\w)_:/g, '$1:')}): ${result};`;
    // booleans go in and come out as 0 and 1
    return declared.replaceAll(': boolean', ': number');
  });
  return [
    '/** Addresses are bytes from the start of the memory. Made by tools/buildKernel.mjs from kernel/assembly. */',
    'export interface KernelExports {',
    ...members,
    '}',
    '',
  ].join('\n');
}

function write(path, text) {
  mkdirSync(dirname(path), { recursive: true });
  writeFileSync(`${path}.new`, text);
  renameSync(`${path}.new`, path);
}

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href) await buildKernel();
