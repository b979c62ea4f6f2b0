/**
 * The camera: which part of the table is seen. A screen place is in CSS pixels from the canvas's top left, a
 * table place in mm with y down.
 */
export interface Camera {
  /** CSS pixels per mm. */
  readonly scale: number;
  /** Screen place of the table's origin. */
  readonly x: number;
  readonly y: number;
}

export interface Place {
  readonly x: number;
  readonly y: number;
}

/** Left, top, right, bottom in mm. */
export type Box = readonly [number, number, number, number];

export interface Size {
  readonly width: number;
  readonly height: number;
}

export const LEAST_SCALE = 0.02;
export const MOST_SCALE = 2000;

export function toTable(camera: Camera, screen: Place): Place {
  return { x: (screen.x - camera.x) / camera.scale, y: (screen.y - camera.y) / camera.scale };
}

export function toScreen(camera: Camera, place: Place): Place {
  return { x: place.x * camera.scale + camera.x, y: place.y * camera.scale + camera.y };
}

/** Zoomed by a factor with one screen place held still. */
export function zoomedAt(camera: Camera, at: Place, factor: number): Camera {
  const scale = Math.min(MOST_SCALE, Math.max(LEAST_SCALE, camera.scale * factor));
  const ratio = scale / camera.scale;
  return { scale, x: at.x - (at.x - camera.x) * ratio, y: at.y - (at.y - camera.y) * ratio };
}

export function panned(camera: Camera, dx: number, dy: number): Camera {
  return { ...camera, x: camera.x + dx, y: camera.y + dy };
}

/** The whole box in the middle of the view, with a margin in CSS pixels on each side. */
export function fitted(box: Box, view: Size, margin = 48): Camera {
  const width = Math.max(box[2] - box[0], 1e-6);
  const height = Math.max(box[3] - box[1], 1e-6);
  const room = {
    width: Math.max(view.width - 2 * margin, 20),
    height: Math.max(view.height - 2 * margin, 20),
  };
  const scale = Math.min(
    MOST_SCALE,
    Math.max(LEAST_SCALE, Math.min(room.width / width, room.height / height)),
  );
  return {
    scale,
    x: view.width / 2 - (scale * (box[0] + box[2])) / 2,
    y: view.height / 2 - (scale * (box[1] + box[3])) / 2,
  };
}

/** What part of the table a view of this size shows. */
export function visible(camera: Camera, view: Size): Box {
  const start = toTable(camera, { x: 0, y: 0 });
  const end = toTable(camera, { x: view.width, y: view.height });
  return [start.x, start.y, end.x, end.y];
}

export function overlaps(one: Box, other: Box): boolean {
  return one[0] <= other[2] && other[0] <= one[2] && one[1] <= other[3] && other[1] <= one[3];
}

export function joined(boxes: readonly Box[]): Box {
  return boxes.reduce((a, b) => [
    Math.min(a[0], b[0]),
    Math.min(a[1], b[1]),
    Math.max(a[2], b[2]),
    Math.max(a[3], b[3]),
  ]);
}
