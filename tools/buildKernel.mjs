/** Compiles kernel/assembly to WebAssembly and writes it as a module that is loaded alike everywhere. */
import { mkdirSync, readdirSync, readFileSync, renameSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath, pathToFileURL } from 'node:url';

const kernel = join(dirname(fileURLToPath(import.meta.url)), '..', 'kernel');
const source = join(kernel, 'assembly');
const target = join(kernel, 'generated', 'kernelWasm.ts');

function stale() {
  try {
    const made = statSync(target).mtimeMs;
    return [...readdirSync(source).map((f) => join(source, f)), fileURLToPath(import.meta.url)].some(
      (f) => statSync(f).mtimeMs > made,
    );
  } catch {
    return true;
  }
}

/** Also the global set-up of the tests. */
export default async function buildKernel() {
  if (!stale()) return;
  const asc = (await import('assemblyscript/asc')).default;
  const args = [
    join(source, 'index.ts'),
    ...['--baseDir', source, '--outFile', 'kernel.wasm', '--runtime', 'stub', '--use', 'abort=', '-O3', '--noAssert'],
    // the memory is the caller's: shared, of any size
    ...['--importMemory', '--sharedMemory', '--initialMemory', '1', '--maximumMemory', '65536', '--noExportMemory'],
    ...['--enable', 'simd', '--enable', 'threads', '--disable', 'relaxed-simd'],
  ];
  let bytes = null;
  const { error, stderr } = await asc.main(args, {
    readFile: (name, base) => {
      try {
        return readFileSync(join(base, name), 'utf8');
      } catch {
        return null;
      }
    },
    writeFile: (_name, contents) => {
      bytes = contents;
    },
    listFiles: () => [],
  });
  if (error || !bytes) throw new Error(`The kernel could not be compiled.\n${stderr}`);
  const text = `/** Made by tools/buildKernel.mjs from kernel/assembly. */\nexport const KERNEL_WASM =\n  '${Buffer.from(bytes).toString('base64')}';\n`;
  mkdirSync(dirname(target), { recursive: true });
  writeFileSync(`${target}.new`, text);
  renameSync(`${target}.new`, target);
}

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href) await buildKernel();
