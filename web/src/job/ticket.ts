/** The parts of the ticket's JSON that the screen reads by itself; everything else comes in sentences. */
export interface TouchUp {
  readonly id: string;
  readonly kind: string;
  readonly x: number;
  readonly y: number;
}

export interface Ticket {
  readonly name: string;
  readonly client: string;
  readonly due: string | null;
  readonly artworks: readonly {
    id: string;
    name: string;
    touch_ups: readonly TouchUp[];
    clean: { background: string; tones: string };
    trace: { mode: string; recolours: readonly { id: string; colour: number[]; to: number[] }[] };
  }[];
  readonly pieces: readonly {
    id: string;
    name: string;
    quantity: number;
    layers: readonly { id: string; prints: string; lines: readonly { id: string; process: string }[] }[];
  }[];
  readonly sheets: readonly {
    id: string;
    layer: string;
    stock: { name: string; colour: string; mirrored: boolean };
  }[];
}

/** A short id that no other item of the ticket has. */
export function newId(prefix: string): string {
  return `${prefix}${crypto.getRandomValues(new Uint32Array(1))[0]?.toString(36)}`;
}
