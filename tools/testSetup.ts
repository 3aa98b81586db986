/** Property tests draw the same cases in every run; DAXEL_TEST_SEED draws others. */
import fc from 'fast-check';
import { useKernels } from '@daxel/kernel/load';

fc.configureGlobal({ seed: Number(process.env.DAXEL_TEST_SEED ?? 20_261) });

// the whole suite also runs on the plain twins
if (process.env.DAXEL_KERNELS === 'off') useKernels(false);
