/** The long form of the tests that mean harm: each group with a multiple of the cases that `./daxel test` draws. */
import { spawnSync } from 'node:child_process';

/** Name, multiple, files. */
const GROUPS = [
  ['load', 20, ['server/attack/load', 'server/http/hostile']],
  ['files', 40, ['formats/mutations']],
  ['scenes', 7, ['formats/gltf']],
  ['power', 20, ['server/db/powerCut']],
  ['kills', 150, ['server/attack/kills']],
];
const asked = process.argv.slice(2);
const unknown = asked.find((name) => !GROUPS.some(([group]) => group === name));
if (unknown !== undefined) {
  process.stderr.write(`daxel: there is no attack "${unknown}". Choose from ${GROUPS.map(([g]) => g).join(', ')}.\n`);
  process.exit(2);
}
let failed = 0;
for (const [name, multiple, files] of GROUPS) {
  if (asked.length > 0 && !asked.includes(name)) continue;
  process.stdout.write(`== ${name}\n`);
  const { status } = spawnSync(
    process.execPath,
    ['node_modules/vitest/vitest.mjs', 'run', '--project', 'unit', '--testTimeout', '7200000', ...files],
    { stdio: 'inherit', env: { ...process.env, DAXEL_TEST_CASES: String(multiple) } },
  );
  if (status !== 0) failed++;
}
process.exit(failed > 0 ? 1 : 0);
