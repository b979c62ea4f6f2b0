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

export type ViewKey = "made" | "outlines" | "over" | "deviation";

export const VIEWS: readonly { key: ViewKey; name: string; letter: string }[] = [
  { key: "made", name: "As made", letter: "a" },
  { key: "outlines", name: "Outlines", letter: "o" },
  { key: "over", name: "Over the artwork", letter: "p" },
];

/** Only where outlines come from pixels. */
export const DEVIATION_VIEW = { key: "deviation", name: "Deviation", letter: "d" } as const;
