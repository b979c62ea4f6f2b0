/** Where items of a list came, went or moved: where that begins, how many ids leave, which come. */
const SPLICE = "/";
/** Values of a list without ids, by their numbers. */
const NUMBERED = "//";

type Item = { readonly id: string };

/**
 * The value that a difference makes of the one before, as the core tells it: a list of one item is a new value, a record
 * tells of fields by their names, of items by their ids, of other lists' values by their numbers. What did not change
 * is shared with the value before.
 */
export function changedBy(before: unknown, told: unknown): unknown {
  if (Array.isArray(told)) return told[0];
  const changes = told as Record<string, unknown>;
  if (!Array.isArray(before)) {
    const made = { ...(before as Record<string, unknown>) };
    for (const [name, change] of Object.entries(changes)) made[name] = changedBy(made[name], change);
    return made;
  }
  if (NUMBERED in changes) {
    const numbered = changes[NUMBERED] as Record<number, unknown>;
    return before.map((value, k) => (k in numbered ? changedBy(value, numbered[k]) : value));
  }
  const items = new Map((before as Item[]).map((item) => [item.id, item]));
  const ids = [...items.keys()];
  const splice = changes[SPLICE] as [number, number, string[]] | undefined;
  if (splice) ids.splice(splice[0], splice[1], ...splice[2]);
  return ids.map((id) => (id in changes ? changedBy(items.get(id), changes[id]) : items.get(id)));
}
