import { type Camera, fitted, type Place, panned, type Size, toTable, visible, zoomedAt } from "./camera";
import { ticks } from "./ruler";
import { drawScene, type Scene } from "./scene";
import type { Unit } from "./units";

export const RULER = 20;
const LOUPE_RADIUS = 76;
const LOUPE_TIMES = 8;
const WHEEL_PACE = 0.0016;
/** Frames that take longer to draw in full show the last picture, moved and scaled, until the hand rests. */
const FLUID = 26;
const RESTS = 100;
const FOOT = 46;

export interface TableState {
  readonly camera: Camera;
  readonly view: Size;
  readonly pointer: Place | null;
}

/**
 * The table's canvas: camera, gestures and drawing, without any framework. Redraws once a frame when something
 * changed; the camera never goes through the interface's state.
 */
export class Table {
  private camera: Camera = { scale: 4, x: 40, y: 40 };
  private view: Size = { width: 1, height: 1 };
  private scene: Scene = { items: [], bounds: [0, 0, 100, 100], ground: "#C5D0C8" };
  private magnified: Scene | null = null;
  private unit: Unit = "mm";
  private frame = 0;
  /** The scene as it was last drawn in full, and how long that took. */
  private readonly still = document.createElement("canvas");
  private stillCamera: Camera | null = null;
  private stillCost = 0;
  private sharpening = 0;
  private pointer: Place | null = null;
  private loupe = false;
  private drawing: { pointer: number; points: Place[]; adds: boolean } | null = null;
  private draws = false;
  private panning: { pointer: number; x: number; y: number } | null = null;
  private spaceHeld = false;
  private fittedOnce = false;
  /** Whether the view was moved by hand since it was fitted. */
  private byHand = false;
  /** CSS pixels at the foot that bars lie over. */
  private foot = FOOT;
  private readonly stops: (() => void)[] = [];

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly moved: (state: TableState) => void,
    private readonly clicked: (place: Place) => void,
    private readonly hovered: (place: Place | null) => void,
    /** ``adds``: the press came with Shift held. */
    private readonly drew: (points: readonly Place[], done: boolean, adds: boolean) => void,
  ) {
    this.listen("wheel", (event) => this.wheel(event as WheelEvent), { passive: false });
    this.listen("pointerdown", (event) => this.down(event as PointerEvent));
    this.listen("pointermove", (event) => this.move(event as PointerEvent));
    this.listen("pointerup", (event) => this.up(event as PointerEvent));
    this.listen("pointerleave", () => this.leave());
    this.listen("auxclick", (event) => event.preventDefault());
    const observer = new ResizeObserver(() => this.resize());
    observer.observe(canvas);
    this.stops.push(() => observer.disconnect());
    this.resize();
  }

  destroy(): void {
    for (const stop of this.stops) stop();
    cancelAnimationFrame(this.frame);
    window.clearTimeout(this.sharpening);
  }

  /** ``magnified`` is what the loupe looks at: pixels and outline together. */
  show(scene: Scene, magnified: Scene): void {
    this.scene = scene;
    this.magnified = magnified;
    this.stillCamera = null;
    if (!this.fittedOnce && scene.items.length) this.fit();
    this.redraw();
  }

  setUnit(unit: Unit): void {
    this.unit = unit;
    this.redraw();
  }

  holdLoupe(on: boolean): void {
    this.loupe = on;
    this.redraw();
  }

  holdSpace(on: boolean): void {
    this.spaceHeld = on;
    this.canvas.style.cursor = on ? "grab" : "";
  }

  /** Whether a press begins a stroke instead of clicking. */
  takeStrokes(on: boolean, cursor = "crosshair"): void {
    this.draws = on;
    this.drawing = null;
    this.canvas.style.cursor = on ? cursor : "";
  }

  /** Give a stroke up that is under way. */
  dropStroke(): void {
    this.drawing = null;
    this.drew([], false, false);
  }

  /** The whole scene in view. */
  fit(): void {
    if (this.view.width < 50 || !this.scene.items.length) return;
    const inner = { width: this.view.width - RULER, height: this.view.height - RULER - this.foot };
    const camera = fitted(this.scene.bounds, inner, 34);
    this.place({ scale: camera.scale, x: camera.x + RULER, y: camera.y + RULER });
    this.fittedOnce = true;
    this.byHand = false;
  }

  /** The same, where the scene has grown out of a view that nobody has moved. */
  fitIfOutgrown(): void {
    const [left, top, right, bottom] = visible(this.camera, this.view);
    const [x, y, x2, y2] = this.scene.bounds;
    if (!this.byHand && (x < left || y < top || x2 > right || y2 > bottom)) this.fit();
  }

  /** Leave more room at the foot, for a bar over it; fitted anew unless the view was moved by hand. */
  keepFree(more: number): void {
    if (this.foot === FOOT + more) return;
    this.foot = FOOT + more;
    if (!this.byHand) this.fit();
  }

  zoom(factor: number): void {
    const at = this.pointer ?? { x: this.view.width / 2, y: this.view.height / 2 };
    this.place(zoomedAt(this.camera, at, factor));
  }

  /** Bring a place into view without zooming, for the keyboard's cursor. */
  reveal(place: Place): void {
    const margin = 40;
    const x = place.x * this.camera.scale + this.camera.x;
    const y = place.y * this.camera.scale + this.camera.y;
    const dx = Math.max(0, RULER + margin - x) - Math.max(0, x - this.view.width + margin);
    const dy = Math.max(0, RULER + margin - y) - Math.max(0, y - this.view.height + margin + 46);
    this.pointer = { x: x + dx, y: y + dy };
    if (dx || dy) this.place(panned(this.camera, dx, dy));
    else this.redraw();
  }

  /** Bring a place into the middle, close enough to see a few mm round it. */
  goTo(place: Place): void {
    const scale = Math.max(this.camera.scale, this.view.width / 60);
    this.pointer = { x: this.view.width / 2, y: this.view.height / 2 };
    this.place({
      scale,
      x: this.view.width / 2 - place.x * scale,
      y: this.view.height / 2 - place.y * scale,
    });
  }

  centre(): Place {
    return toTable(this.camera, { x: this.view.width / 2, y: this.view.height / 2 });
  }

  private place(camera: Camera): void {
    this.camera = camera;
    this.byHand = true;
    this.redraw();
  }

  private listen(name: string, heard: (event: Event) => void, options?: AddEventListenerOptions): void {
    this.canvas.addEventListener(name, heard, options);
    this.stops.push(() => this.canvas.removeEventListener(name, heard));
  }

  private at(event: MouseEvent): Place {
    const box = this.canvas.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  }

  private wheel(event: WheelEvent): void {
    event.preventDefault();
    const lines = event.deltaMode === 1 ? 16 : 1;
    this.place(zoomedAt(this.camera, this.at(event), Math.exp(-event.deltaY * lines * WHEEL_PACE)));
  }

  private down(event: PointerEvent): void {
    if (event.button === 1 || (event.button === 0 && this.spaceHeld)) {
      event.preventDefault();
      this.panning = { pointer: event.pointerId, x: event.clientX, y: event.clientY };
      this.canvas.setPointerCapture(event.pointerId);
      this.canvas.style.cursor = "grabbing";
    } else if (event.button === 0 && this.draws) {
      this.canvas.setPointerCapture(event.pointerId);
      const points = [toTable(this.camera, this.at(event))];
      this.drawing = { pointer: event.pointerId, points, adds: event.shiftKey };
      this.drew(points, false, event.shiftKey);
    } else if (event.button === 0) this.clicked(toTable(this.camera, this.at(event)));
  }

  private move(event: PointerEvent): void {
    this.pointer = this.at(event);
    if (this.panning?.pointer === event.pointerId) {
      this.place(panned(this.camera, event.clientX - this.panning.x, event.clientY - this.panning.y));
      this.panning = { pointer: event.pointerId, x: event.clientX, y: event.clientY };
      return;
    }
    if (this.drawing?.pointer === event.pointerId) {
      this.drawing.points.push(toTable(this.camera, this.pointer));
      this.drew(this.drawing.points, false, this.drawing.adds);
    }
    this.hovered(toTable(this.camera, this.pointer));
    this.redraw();
  }

  private up(event: PointerEvent): void {
    if (this.drawing?.pointer === event.pointerId) {
      const { points, adds } = this.drawing;
      this.drawing = null;
      this.drew(points, true, adds);
      return;
    }
    if (this.panning?.pointer !== event.pointerId) return;
    this.panning = null;
    this.canvas.style.cursor = this.spaceHeld ? "grab" : "";
  }

  private leave(): void {
    this.pointer = null;
    this.hovered(null);
    this.redraw();
  }

  private resize(): void {
    const box = this.canvas.getBoundingClientRect();
    const ratio = window.devicePixelRatio || 1;
    this.view = { width: box.width, height: box.height };
    this.canvas.width = Math.max(1, Math.round(box.width * ratio));
    this.canvas.height = Math.max(1, Math.round(box.height * ratio));
    this.still.width = this.canvas.width;
    this.still.height = this.canvas.height;
    this.stillCamera = null;
    if (!this.byHand && this.scene.items.length) this.fit();
    this.redraw();
  }

  private redraw(): void {
    if (!this.frame) this.frame = requestAnimationFrame(() => this.draw());
  }

  private draw(): void {
    this.frame = 0;
    const context = this.canvas.getContext("2d");
    if (!context) return;
    const ratio = window.devicePixelRatio || 1;
    this.drawStill(context, ratio);
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    if (this.loupe && this.pointer) this.drawLoupe(context, ratio, this.pointer);
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    this.drawRulers(context);
    this.moved({ camera: this.camera, view: this.view, pointer: this.pointer });
  }

  /** The scene, drawn anew only when it or the camera changed; a costly one first as its last picture. */
  private drawStill(context: CanvasRenderingContext2D, ratio: number): void {
    const was = this.stillCamera;
    const moved =
      !was || was.scale !== this.camera.scale || was.x !== this.camera.x || was.y !== this.camera.y;
    if (moved && was && this.stillCost > FLUID) {
      this.sharpenSoon();
      const grow = this.camera.scale / was.scale;
      context.setTransform(1, 0, 0, 1, 0, 0);
      context.fillStyle = this.scene.ground;
      context.fillRect(0, 0, this.canvas.width, this.canvas.height);
      context.setTransform(
        grow,
        0,
        0,
        grow,
        ratio * (this.camera.x - was.x * grow),
        ratio * (this.camera.y - was.y * grow),
      );
    } else {
      if (moved) this.drawAnew(ratio);
      context.setTransform(1, 0, 0, 1, 0, 0);
    }
    context.drawImage(this.still, 0, 0);
  }

  private drawAnew(ratio: number): void {
    const context = this.still.getContext("2d");
    if (!context) return;
    const start = performance.now();
    drawScene(context, this.scene, this.camera, this.view, ratio);
    this.stillCamera = this.camera;
    // what it costs shows when the next frame comes: the canvas draws behind the script's back
    requestAnimationFrame(() => {
      this.stillCost = performance.now() - start;
    });
  }

  private sharpenSoon(): void {
    window.clearTimeout(this.sharpening);
    this.sharpening = window.setTimeout(() => {
      this.stillCamera = null;
      this.redraw();
    }, RESTS);
  }

  private drawLoupe(context: CanvasRenderingContext2D, ratio: number, at: Place): void {
    const r = LOUPE_RADIUS;
    const x = at.x + r * 1.5 > this.view.width ? at.x - r * 1.1 : at.x + r * 1.1;
    const y = at.y - r * 2.2 < RULER ? at.y + r * 1.1 : at.y - r * 1.1;
    const glass = document.createElement("canvas");
    glass.width = glass.height = Math.round(2 * r * ratio);
    const inner = glass.getContext("2d");
    if (!inner) return;
    const on = toTable(this.camera, at);
    const scale = this.camera.scale * LOUPE_TIMES;
    const camera = { scale, x: r - on.x * scale, y: r - on.y * scale };
    drawScene(inner, this.magnified ?? this.scene, camera, { width: 2 * r, height: 2 * r }, ratio, true);
    context.save();
    context.beginPath();
    context.arc(x, y, r, 0, 2 * Math.PI);
    context.clip();
    context.drawImage(glass, x - r, y - r, 2 * r, 2 * r);
    context.restore();
    context.strokeStyle = "#1E2A2E";
    context.lineWidth = 3;
    context.beginPath();
    context.arc(x, y, r, 0, 2 * Math.PI);
    context.stroke();
    context.lineWidth = 1;
    context.beginPath();
    context.moveTo(x - 6, y);
    context.lineTo(x + 6, y);
    context.moveTo(x, y - 6);
    context.lineTo(x, y + 6);
    context.stroke();
  }

  private drawRulers(context: CanvasRenderingContext2D): void {
    const { width, height } = this.view;
    context.fillStyle = "#DCE3DD";
    context.fillRect(0, 0, width, RULER);
    context.fillRect(0, 0, RULER, height);
    context.strokeStyle = "#5d6a64";
    context.fillStyle = "#3d4a46";
    context.lineWidth = 0.8;
    context.font = "500 10px 'Barlow Condensed', sans-serif";
    context.textBaseline = "alphabetic";
    context.beginPath();
    for (const tick of ticks(this.camera, this.camera.x, width, this.unit)) {
      if (tick.at < RULER) continue;
      context.moveTo(tick.at, RULER);
      context.lineTo(tick.at, RULER - 9 * tick.length);
      if (tick.label) context.fillText(tick.label, tick.at + 3, 10);
    }
    for (const tick of ticks(this.camera, this.camera.y, height, this.unit)) {
      if (tick.at < RULER) continue;
      context.moveTo(RULER, tick.at);
      context.lineTo(RULER - 9 * tick.length, tick.at);
      if (tick.label) {
        context.save();
        context.translate(9, tick.at + 3);
        context.rotate(Math.PI / 2);
        context.fillText(tick.label, 0, 0);
        context.restore();
      }
    }
    context.stroke();
    if (this.pointer) {
      context.strokeStyle = "#8A5F00";
      context.lineWidth = 1.5;
      context.beginPath();
      context.moveTo(this.pointer.x, 0);
      context.lineTo(this.pointer.x, RULER);
      context.moveTo(0, this.pointer.y);
      context.lineTo(RULER, this.pointer.y);
      context.stroke();
    }
    context.fillStyle = "#DCE3DD";
    context.fillRect(0, 0, RULER, RULER);
    context.fillStyle = "#3d4a46";
    context.fillText(this.unit, 3, 13);
  }
}
