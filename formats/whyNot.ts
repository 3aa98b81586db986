/** What a library found wrong with a file; what an engine says of its own error helps nobody with a file. */
export function whyNot(error: unknown, otherwise: string): string {
  const own = error instanceof TypeError || error instanceof RangeError || error instanceof SyntaxError;
  return own || !(error instanceof Error) ? otherwise : error.message.split('\n')[0].slice(0, 160);
}
