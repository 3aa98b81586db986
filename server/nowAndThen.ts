/** Work that is done a while after the start, and again and again while the server runs. @returns a function that ends this */
export function nowAndThen(
  firstMs: number,
  againMs: number,
  work: () => Promise<unknown>,
  log: (error: Error) => void,
): () => void {
  const run = (): void => {
    timer = setTimeout(run, againMs).unref();
    work().catch((error: unknown) => log(error as Error));
  };
  let timer = setTimeout(run, firstMs).unref();
  return () => clearTimeout(timer);
}
