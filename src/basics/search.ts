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

/**
 * The same, looking near an earlier answer first: along an axis the next one is seldom far. `hint` may be any number
 * from 0 to the length of the list.
 */
export const upperBoundNear = (list: ArrayLike<number>, value: number, hint: number): number => {
  let at = hint;
  for (let tries = 0; tries < NEAR; tries++) {
    if (at < list.length && list[at] <= value) at++;
    else if (at > 0 && list[at - 1] > value) at--;
    else return at;
  }
  return upperBound(list, value);
};
const NEAR = 8;

/** Number of entries of a sorted list that are < value. */
export const lowerBound = (list: ArrayLike<number>, value: number): number => upperBound(list, value - 1);
