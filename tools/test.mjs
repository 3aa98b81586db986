/** Lint, types, unit tests and browser tests, one after the other; ends with a line "N passed, N failed". */
import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, rmSync } from 'node:fs';

const run = (command, args) => spawnSync(command, args, { stdio: 'inherit' }).status === 0;
let passed = 0;
let failed = 0;

for (const [name, script] of [
  ['format and lint', 'lint'],
  ['types', 'typecheck'],
]) {
  process.stdout.write(`\n== ${name}\n`);
  if (run('npm', ['run', '--silent', script])) passed++;
  else failed++;
}

mkdirSync('build', { recursive: true });
for (const project of ['unit', 'e2e']) {
  process.stdout.write(`\n== ${project}\n`);
  const report = `build/test-${project}.json`;
  rmSync(report, { force: true });
  const ok = run('npx', [
    'vitest',
    'run',
    '--project',
    project,
    '--reporter=default',
    '--reporter=json',
    `--outputFile.json=${report}`,
  ]);
  let counted = 0;
  try {
    const { numPassedTests, numFailedTests } = JSON.parse(readFileSync(report, 'utf8'));
    passed += numPassedTests;
    failed += numFailedTests;
    counted = numPassedTests + numFailedTests;
    if (!ok && numFailedTests === 0) failed++;
  } catch {
    failed++;
  }
  if (counted === 0) process.stdout.write(`no ${project} test ran\n`);
}
process.stdout.write(`\n${passed} passed, ${failed} failed\n`);
process.exit(failed === 0 ? 0 : 1);
