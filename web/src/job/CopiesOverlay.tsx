import { frameData } from "../engine/pathdata";
import type { Copies } from "./useCopies";

const INK = "#1E2A2E";
const MARIGOLD = "#8A5F00";
const NEAR = "#8C2F1B";

/** Copies that are chosen, where they would go while they are moved, and the frame that chooses. */
export function CopiesOverlay({ copies }: { copies: Copies }) {
  const { frame } = copies;
  return (
    <g data-copies="">
      {copies.copies
        .filter((copy) => copy.beyond)
        .map((copy) => (
          <path
            key={`beyond ${copy.key}`}
            data-beyond={copy.key}
            d={copies.outlineOf(copy.layer)?.d}
            transform={`matrix(${copy.at.join(" ")})`}
            fill="rgba(140,47,27,.14)"
            fillRule="evenodd"
            stroke={NEAR}
            strokeWidth={2.5}
            strokeDasharray="7 4"
            vectorEffect="non-scaling-stroke"
          />
        ))}
      {copies.ghosts.map((ghost) => {
        const { copy, outline, at } = ghost;
        const near = copies.isNear(ghost);
        return (
          <path
            key={copy.key}
            data-copy={copy.key}
            data-near={near || undefined}
            d={outline.d}
            transform={`matrix(${at.join(" ")})`}
            fill={near ? "rgba(140,47,27,.22)" : "rgba(233,165,12,.26)"}
            fillRule="evenodd"
            stroke={near ? NEAR : MARIGOLD}
            strokeWidth={near ? 3 : 2}
            vectorEffect="non-scaling-stroke"
          />
        );
      })}
      {copies.chosen
        .filter((copy) => copy.locked)
        .map((copy) => {
          const outline = copies.outlineOf(copy.layer);
          return outline ? (
            <path
              key={copy.key}
              data-copy={copy.key}
              d={outline.d}
              transform={`matrix(${copy.at.join(" ")})`}
              fill="none"
              stroke={INK}
              strokeWidth="2.5"
              strokeDasharray="3 3"
              vectorEffect="non-scaling-stroke"
            />
          ) : null;
        })}
      {frame && (
        <path
          d={frameData(frame)}
          fill="rgba(233,165,12,.10)"
          stroke={MARIGOLD}
          strokeDasharray="5 4"
          vectorEffect="non-scaling-stroke"
        />
      )}
    </g>
  );
}
