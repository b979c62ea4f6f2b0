export interface Print {
  readonly kind: string;
  readonly url: string;
  readonly width: number;
  readonly height: number;
  readonly matrix: readonly number[];
  readonly d: string;
  readonly colour: string;
}

/** What a layer prints, in a small drawing, lowest first. */
export function Prints({ prints }: { prints: readonly Print[] }) {
  return prints.map((one, index) =>
    one.kind === "shape" ? (
      // biome-ignore lint/suspicious/noArrayIndexKey: painted in their order, never reordered by themselves
      <path key={index} d={one.d} fill={one.colour} fillRule="evenodd" />
    ) : (
      <image
        // biome-ignore lint/suspicious/noArrayIndexKey: as above
        key={index}
        href={one.url}
        width={one.width}
        height={one.height}
        transform={`matrix(${one.matrix.join(" ")})`}
      />
    ),
  );
}
