/** Code point order, the same on every engine (R1). */
export const compareTexts = (a: string, b: string): number => {
  const [x, y] = [Array.from(a), Array.from(b)];
  for (let i = 0; i < Math.min(x.length, y.length); i++) {
    const difference = (x[i].codePointAt(0) as number) - (y[i].codePointAt(0) as number);
    if (difference !== 0) return difference;
  }
  return x.length - y.length;
};
