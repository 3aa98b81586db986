/** Order without sorting. */

/**
 * The value that would stand at `place` if the first `count` values were sorted (Hoare 1961, Algorithm 65: Find). They are
 * reordered. Values are numbers.
 */
export function nthSmallest(values: Float32Array, count: number, place: number): number {
  let low = 0;
  let high = count - 1;
  while (low < high) {
    const pivot = median(values[low], values[(low + high) >> 1], values[high]);
    let i = low;
    let j = high;
    while (i <= j) {
      while (values[i] < pivot) i++;
      while (values[j] > pivot) j--;
      if (i > j) break;
      const kept = values[i];
      values[i++] = values[j];
      values[j--] = kept;
    }
    if (place <= j) high = j;
    else if (place >= i) low = i;
    else break;
  }
  return values[place];
}

function median(a: number, b: number, c: number): number {
  return a < b ? (b < c ? b : a < c ? c : a) : a < c ? a : b < c ? c : b;
}
