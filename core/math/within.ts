/** The nearest allowed value; the lower end for what is no number. */
export function within(value: number, low: number, high: number): number {
  return value > low ? Math.min(value, high) : low;
}
