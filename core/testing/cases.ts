/**
 * How many cases a property test draws: few in the quick form, and a multiple of them in the long one, which
 * `DAXEL_TEST_CASES` asks for. Tests bound their work so, never their time.
 */
export function cases(quick: number): number {
  return Math.max(1, Math.round(quick * Number(process.env.DAXEL_TEST_CASES ?? 1)));
}
