import type { Camera, Size } from "./camera";
import { along, BURN, headAt, type Moves, moveAt, startOf, TRAVEL } from "./moves";

const CHUNK = 1500;
/** As of the table: frames that take longer show the last picture until the hand rests so long, ms. */
const FLUID = 26;
const RESTS = 100;
const RECENT = 40;
const LEVELS = 6;
const HEAD = "#F2A71B";
const INK = "#1E2A2E";
const WAY = "rgba(40,70,90,.55)";
const CLAMP = "rgba(30,42,46,.55)";
const FELL = "rgba(30,42,46,.16)";

interface Chunk {
  readonly paths: ReadonlyMap<string, Path2D>;
  readonly box: readonly [number, number, number, number];
}

/**
 * What a beam has burnt by a moment, where its head is, and what fell: drawn over the table, in its camera. What was
 * burnt stays on a bitmap of its own, so that a frame of playing draws the new moves only.
 */
export class Playback {
  private readonly burnt = document.createElement("canvas");
  private readonly chunks = new Map<number, Chunk>();
  private camera: Camera = { scale: 1, x: 0, y: 0 };
  private view: Size = { width: 1, height: 1 };
  private drawnTo = -1;
  /** How the camera stood when the bitmap was drawn in full, and how long that took. */
  private burntCamera: Camera | null = null;
  private cost = 0;
  private sharpening = 0;
  private frame = 0;
  private seconds: number;
  /** A head that is told by the machine itself, with the moves it has made. */
  private live: { made: number; x: number; y: number } | null = null;

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly moves: Moves,
    /** How far to the right the sheet lies on the table, mm. */
    private readonly shift: number,
  ) {
    this.seconds = moves.begins[moves.count] ?? 0;
  }

  destroy(): void {
    cancelAnimationFrame(this.frame);
    window.clearTimeout(this.sharpening);
  }

  look(camera: Camera, view: Size): void {
    const same =
      camera.scale === this.camera.scale && camera.x === this.camera.x && camera.y === this.camera.y;
    if (same && view.width === this.view.width && view.height === this.view.height) return;
    this.camera = camera;
    this.view = view;
    this.redraw();
  }

  show(seconds: number): void {
    this.seconds = seconds;
    this.redraw();
  }

  follow(live: { made: number; x: number; y: number } | null): void {
    this.live = live;
    this.redraw();
  }

  private redraw(): void {
    if (!this.frame) this.frame = requestAnimationFrame(() => this.draw());
  }

  private draw(): void {
    this.frame = 0;
    const ratio = window.devicePixelRatio || 1;
    const [w, h] = [Math.round(this.view.width * ratio), Math.round(this.view.height * ratio)];
    for (const one of [this.canvas, this.burnt])
      if (one.width !== w || one.height !== h) {
        one.width = w;
        one.height = h;
        this.drawnTo = -1;
      }
    const now = this.live ? this.live.made : moveAt(this.moves, this.seconds);
    const context = this.canvas.getContext("2d");
    if (!context) return;
    context.setTransform(1, 0, 0, 1, 0, 0);
    context.clearRect(0, 0, w, h);
    this.drawBurnt(context, Math.min(now, this.moves.count), ratio);
    this.onSheet(context, ratio);
    this.drawBed(context);
    this.drawFallen(context, now);
    this.drawWays(context, now);
    this.drawHead(context, now, ratio);
  }

  /** What was burnt; where that takes long, its last picture is moved and scaled until the hand rests. */
  private drawBurnt(context: CanvasRenderingContext2D, now: number, ratio: number): void {
    const [was, is] = [this.burntCamera, this.camera];
    const moved = !was || was.scale !== is.scale || was.x !== is.x || was.y !== is.y;
    if (moved && was && this.cost > FLUID && this.drawnTo >= 0) {
      const grow = is.scale / was.scale;
      context.setTransform(grow, 0, 0, grow, ratio * (is.x - was.x * grow), ratio * (is.y - was.y * grow));
      window.clearTimeout(this.sharpening);
      this.sharpening = window.setTimeout(() => {
        this.burntCamera = null;
        this.redraw();
      }, RESTS);
    } else {
      const anew = moved || this.drawnTo < 0;
      if (moved) this.drawnTo = -1;
      this.burntCamera = is;
      const start = performance.now();
      this.burnTo(now, ratio);
      // what it costs shows when the next frame comes
      if (anew)
        requestAnimationFrame(() => {
          this.cost = performance.now() - start;
        });
    }
    context.drawImage(this.burnt, 0, 0);
  }

  private onSheet(context: CanvasRenderingContext2D, ratio: number): void {
    const s = ratio * this.camera.scale;
    context.setTransform(s, 0, 0, s, ratio * this.camera.x + s * this.shift, ratio * this.camera.y);
    context.lineCap = "round";
    context.lineJoin = "round";
  }

  /** Brings the bitmap of what was burnt to a move. */
  private burnTo(now: number, ratio: number): void {
    const context = this.burnt.getContext("2d");
    if (!context) return;
    let from = this.drawnTo;
    if (from < 0 || now < from) {
      context.setTransform(1, 0, 0, 1, 0, 0);
      context.clearRect(0, 0, this.burnt.width, this.burnt.height);
      from = 0;
    }
    this.onSheet(context, ratio);
    while (from < now) {
      const chunk = Math.floor(from / CHUNK);
      const end = Math.min(now, (chunk + 1) * CHUNK);
      const whole = from === chunk * CHUNK && end === (chunk + 1) * CHUNK;
      const drawn = whole ? this.chunk(chunk) : this.packed(from, end);
      if (this.inView(drawn.box)) for (const [look, path] of drawn.paths) this.stroke(context, look, path);
      from = end;
    }
    this.drawnTo = now;
  }

  private stroke(context: CanvasRenderingContext2D, look: string, path: Path2D): void {
    const [tool, level] = look.split(":").map(Number) as [number, number];
    const of = this.moves.tools[tool];
    context.strokeStyle = of?.parts ? INK : (of?.colour ?? INK);
    context.globalAlpha = of?.parts ? 0.9 : 0.25 + (0.6 * level) / LEVELS;
    context.lineWidth = Math.max(this.moves.beam, (of?.parts ? 1.2 : 0.35) / this.camera.scale);
    context.stroke(path);
    context.globalAlpha = 1;
  }

  private chunk(number: number): Chunk {
    let found = this.chunks.get(number);
    if (!found) {
      found = this.packed(number * CHUNK, Math.min((number + 1) * CHUNK, this.moves.count));
      this.chunks.set(number, found);
    }
    return found;
  }

  private packed(from: number, to: number): Chunk {
    const { moves } = this;
    const paths = new Map<string, Path2D>();
    let [left, top, right, bottom] = [1e9, 1e9, -1e9, -1e9];
    for (let k = from; k < to; k += 1) {
      if (moves.does[k] !== BURN) continue;
      const level = Math.ceil(((moves.power[k] as number) / 255) * LEVELS);
      const look = `${moves.tool[k]}:${level}`;
      let path = paths.get(look);
      if (!path) {
        path = new Path2D();
        paths.set(look, path);
      }
      this.trace(path, k, true);
      const reach = moves.sweeps[k] ? Math.hypot(...this.spoke(k)) : 0;
      for (const [x, y] of [startOf(moves, k), along(moves, k, 1)]) {
        left = Math.min(left, x - reach);
        right = Math.max(right, x + reach);
        top = Math.min(top, y - reach);
        bottom = Math.max(bottom, y + reach);
      }
    }
    return { paths, box: [left, top, right, bottom] };
  }

  private spoke(k: number): [number, number] {
    const [x, y] = startOf(this.moves, k);
    return [x - (this.moves.centres[2 * k] as number), y - (this.moves.centres[2 * k + 1] as number)];
  }

  private trace(path: Path2D, k: number, lifts: boolean): void {
    const { moves } = this;
    const [x, y] = startOf(moves, k);
    if (lifts) path.moveTo(x, y);
    const sweep = moves.sweeps[k] as number;
    if (!sweep) path.lineTo(moves.ends[2 * k] as number, moves.ends[2 * k + 1] as number);
    else {
      const [dx, dy] = this.spoke(k);
      const angle = Math.atan2(dy, dx);
      const [cx, cy] = [moves.centres[2 * k] as number, moves.centres[2 * k + 1] as number];
      path.arc(cx, cy, Math.hypot(dx, dy), angle, angle + sweep, sweep < 0);
    }
  }

  private inView([left, top, right, bottom]: Chunk["box"]): boolean {
    const { scale, x, y } = this.camera;
    const at = (value: number, shift: number) => value * scale + shift;
    return (
      at(right + this.shift, x) >= 0 &&
      at(left + this.shift, x) <= this.view.width &&
      at(bottom, y) >= 0 &&
      at(top, y) <= this.view.height
    );
  }

  /** What the head can reach, and where it must not. */
  private drawBed(context: CanvasRenderingContext2D): void {
    const px = 1 / this.camera.scale;
    context.lineWidth = px;
    context.strokeStyle = WAY;
    context.setLineDash([2 * px, 3 * px]);
    for (const [left = 0, top = 0, right = 0, bottom = 0] of this.moves.bed ? [this.moves.bed] : [])
      context.strokeRect(left, top, right - left, bottom - top);
    context.setLineDash([]);
    context.fillStyle = CLAMP;
    for (const [left = 0, top = 0, right = 0, bottom = 0] of this.moves.clamps)
      context.fillRect(left, top, right - left, bottom - top);
  }

  /** What has fallen, while the run goes on; at its end the finished work is seen. */
  private drawFallen(context: CanvasRenderingContext2D, now: number): void {
    if (now >= this.moves.count) return;
    const path = new Path2D();
    for (const [first, last] of this.moves.drops) {
      if (last >= now) continue;
      for (let k = first; k <= last; k += 1) this.trace(path, k, k === first);
      path.closePath();
    }
    context.fillStyle = FELL;
    context.fill(path, "evenodd");
  }

  /** The last ways with the beam off. */
  private drawWays(context: CanvasRenderingContext2D, now: number): void {
    if (now >= this.moves.count) return;
    const path = new Path2D();
    let seen = 0;
    for (let k = Math.min(now, this.moves.count - 1); k >= 0 && seen < RECENT; k -= 1) {
      if (this.moves.does[k] !== TRAVEL) continue;
      this.trace(path, k, true);
      seen += 1;
    }
    context.strokeStyle = WAY;
    context.lineWidth = 1 / this.camera.scale;
    context.setLineDash([5 / this.camera.scale, 4 / this.camera.scale]);
    context.stroke(path);
    context.setLineDash([]);
  }

  private drawHead(context: CanvasRenderingContext2D, now: number, ratio: number): void {
    if (!this.live && now >= this.moves.count) return;
    const [x, y] = this.live ? [this.live.x, this.live.y] : headAt(this.moves, this.seconds);
    const burns = this.moves.does[Math.min(now, this.moves.count - 1)] === BURN;
    const px = ratio;
    const s = ratio * this.camera.scale;
    context.setTransform(1, 0, 0, 1, 0, 0);
    const [cx, cy] = [s * (x + this.shift) + ratio * this.camera.x, s * y + ratio * this.camera.y];
    context.beginPath();
    context.arc(cx, cy, 7 * px, 0, 2 * Math.PI);
    context.lineWidth = 4 * px;
    context.strokeStyle = INK;
    context.stroke();
    context.lineWidth = 2 * px;
    context.strokeStyle = HEAD;
    context.stroke();
    if (burns) {
      context.beginPath();
      context.arc(cx, cy, 3 * px, 0, 2 * Math.PI);
      context.fillStyle = HEAD;
      context.fill();
    }
  }
}
