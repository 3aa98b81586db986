/** When a hidden page paints nothing, waiting ends after so many milliseconds. */
const LONGEST_MS = 250;

/** Resolves when what has changed until now stands on the screen. */
export function painted(): Promise<void> {
  return new Promise((resolve) => {
    setTimeout(resolve, LONGEST_MS);
    // the first comes before the page is painted, the second after
    requestAnimationFrame(() => requestAnimationFrame(() => resolve()));
  });
}
