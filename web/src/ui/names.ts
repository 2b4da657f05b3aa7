/** Names that things get before people name them. */

/** "Outline 2" and the like: the first number that nothing else has. */
export function freshName(word: string, taken: readonly string[], gap = " "): string {
  let n = taken.length + 1;
  while (taken.includes(`${word}${gap}${n}`)) n++;
  return `${word}${gap}${n}`;
}
