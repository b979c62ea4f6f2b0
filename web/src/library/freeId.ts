/** The first id of a letter and a number that no item has. */
export function freeId(letter: string, items: readonly { readonly id?: unknown }[]): string {
  const used = new Set(items.map(({ id }) => id));
  let n = 1;
  while (used.has(`${letter}${n}`)) n += 1;
  return `${letter}${n}`;
}
