import { type PathFacts, pathFacts } from "../engine/pathdata";

const cache = new Map<string, { path: Path2D; facts: PathFacts }>();
const CACHED = 6000;

/** Path data as something to draw, kept while it is in use. */
export function parsed(data: string): { path: Path2D; facts: PathFacts } {
  let found = cache.get(data);
  if (!found) {
    found = { path: new Path2D(data), facts: pathFacts(data) };
    if (cache.size >= CACHED) cache.delete(cache.keys().next().value as string);
    cache.set(data, found);
  }
  return found;
}
