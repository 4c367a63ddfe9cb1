/** Number of entries of a sorted list that are <= value: the index after the last of them. */
export const upperBound = (list: ArrayLike<number>, value: number): number => {
  let low = 0;
  let high = list.length;
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (list[middle] <= value) low = middle + 1;
    else high = middle;
  }
  return low;
};

/** Number of entries of a sorted list that are < value. */
export const lowerBound = (list: ArrayLike<number>, value: number): number => upperBound(list, value - 1);
