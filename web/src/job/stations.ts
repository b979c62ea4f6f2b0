/** The six stations in order, with the words of their panels. */
export const STATIONS = [
  { key: "artwork", name: "Artwork", title: "What came in" },
  { key: "clean", name: "Clean", title: "Clean" },
  { key: "trace", name: "Trace", title: "Trace" },
  { key: "lines", name: "Lines", title: "Lines" },
  { key: "sheet", name: "Sheet", title: "The sheet" },
  { key: "machine", name: "Machine", title: "Job files" },
] as const;

export type StationKey = (typeof STATIONS)[number]["key"];

/** The station that an address asks for. */
export function stationOf(search: URLSearchParams): StationKey {
  const asked = search.get("station");
  return STATIONS.find(({ key }) => key === asked)?.key ?? "artwork";
}

export type ViewKey =
  | "made"
  | "outlines"
  | "over"
  | "deviation"
  | "thing"
  | "round"
  | "plate"
  | "moves"
  | "burnt"
  | "carved"
  | "falls"
  | "weak"
  | "weeding"
  | "worst";

export interface View {
  readonly key: ViewKey;
  readonly name: string;
  readonly letter: string;
}

export const VIEWS: readonly View[] = [
  { key: "made", name: "As made", letter: "a" },
  { key: "outlines", name: "Outlines", letter: "o" },
  { key: "over", name: "Over the artwork", letter: "p" },
];

/** Only where outlines come from pixels. */
export const DEVIATION_VIEW: View = { key: "deviation", name: "Deviation", letter: "d" };

/** What the lines will do to the stock. */
export const LINE_VIEWS: readonly View[] = [
  { key: "falls", name: "Drop-out", letter: "f" },
  { key: "weak", name: "Weak parts", letter: "w" },
  { key: "weeding", name: "Weeding", letter: "h" },
  { key: "worst", name: "Worst case", letter: "c" },
];

/** Where a piece goes on something: the finished piece on it. */
export const THING_VIEW: View = { key: "thing", name: "On the thing", letter: "t" };

/** Where a piece goes on a round thing: that thing, to be turned. */
export const ROUND_VIEW: View = { key: "round", name: "On the thing", letter: "t" };

/** Where white or varnish is printed: its plate over the faint print. */
export const PLATE_VIEW: View = { key: "plate", name: "Plate", letter: "i" };

/** Where a beam burns: its moves, one after another. */
export const MOVES_VIEW: View = { key: "moves", name: "Moves", letter: "m" };

/** Where a router carves: the surface it leaves, in relief. */
export const CARVED_VIEW: View = { key: "carved", name: "Carved", letter: "k" };

/** Where areas are engraved: what strokes as wide as the beam leave out, and what they burn twice. */
export const BURNT_VIEW: View = { key: "burnt", name: "Burnt", letter: "e" };

/** What there is to be seen beside the usual: pixels to measure a deviation from, a thing to lie on, a round one, a plate. */
export interface Sights {
  readonly measurable: boolean;
  readonly thing: boolean;
  readonly round: boolean;
  readonly plate: boolean;
  readonly moves: boolean;
  readonly carved: boolean;
  readonly filled: boolean;
}

/** The views of a station, the usual ones first. */
export function viewsAt(
  station: StationKey,
  { measurable, thing, round, plate, moves, carved, filled }: Sights,
): readonly View[] {
  const plates = plate ? [PLATE_VIEW] : [];
  const burnt = filled ? [BURNT_VIEW] : [];
  const on = round ? [ROUND_VIEW] : [];
  if (station === "lines")
    return [...VIEWS, ...burnt, ...(thing && !round ? [THING_VIEW] : on), ...plates, ...LINE_VIEWS];
  if (station === "machine" && carved) return [...VIEWS, CARVED_VIEW];
  if (station === "machine" && moves) return [...VIEWS, ...on, ...plates, MOVES_VIEW];
  if (station === "sheet" || station === "machine") return [...VIEWS, ...on, ...plates];
  return station === "trace" && measurable ? [...VIEWS, DEVIATION_VIEW] : VIEWS;
}
