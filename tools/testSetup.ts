/** Property tests draw the same cases in every run; DAXEL_TEST_SEED draws others. */
import fc from 'fast-check';

fc.configureGlobal({ seed: Number(process.env.DAXEL_TEST_SEED ?? 20_261) });
