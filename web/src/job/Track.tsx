import { chakra } from "@chakra-ui/react";
import type { Work } from "../api/client";
import { inUnit } from "../engine/units";
import { StateBadge } from "../ui/Mark";
import { useUnit } from "../ui/unit";
import { Miniature } from "./Miniature";
import { STATIONS, type StationKey } from "./stations";
import type { Piece, Ticket } from "./ticket";

interface Props {
  ticket: Ticket;
  /** The final work: miniatures and facts are made from it, never from a preview. */
  work: Work | undefined;
  settling: boolean;
  piece: Piece | undefined;
  artwork: string;
  current: StationKey;
  onGo: (station: StationKey) => void;
}

/** The six stations across the top, each with the work as it leaves it, one fact and its state. */
export function Track({ ticket, work, settling, piece, artwork, current, onGo }: Props) {
  const { unit } = useUnit();
  return (
    <chakra.nav
      aria-label="Stations"
      position="relative"
      display="flex"
      height="86px"
      flex="none"
      paddingX="18px"
      borderBottom="1px solid {colors.hair}"
      _before={{
        content: '""',
        position: "absolute",
        left: "18px",
        right: "18px",
        bottom: "9px",
        borderTop: "1.5px dashed #C9C6B6",
      }}
    >
      {STATIONS.map(({ key, name }, index) => {
        const station = work?.stations.find((one) => one.key === key);
        const here = key === current;
        const looks =
          station?.notes.filter((note) => note.weight === "look" || note.weight === "blocked").length ?? 0;
        const about = key === "lines" ? (piece?.id ?? "") : artwork;
        const state = !station ? "working" : station.state;
        return (
          <chakra.button
            key={key}
            type="button"
            data-station={key}
            data-state={state}
            aria-current={here ? "step" : undefined}
            onClick={() => onGo(key)}
            flex="1"
            minWidth="0"
            display="flex"
            alignItems="center"
            gap="10px"
            padding="4px 6px 18px"
            position="relative"
            border="none"
            background="transparent"
            textAlign="left"
            cursor="pointer"
            opacity={state === "waiting" ? 0.86 : 1}
            _hover={{ background: "paper.warm" }}
            _after={{
              content: '""',
              position: "absolute",
              left: "50%",
              transform: "translateX(-50%)",
              borderRadius: "50%",
              width: here ? "15px" : "11px",
              height: here ? "15px" : "11px",
              bottom: here ? "1.5px" : "3.5px",
              background: here ? "marigold" : "paper",
              border: here ? "1.5px solid {colors.marigold.dark}" : "1.5px solid #B5B29F",
            }}
          >
            <chakra.span flex="none" css={{ "@media (max-width: 1080px)": { display: "none" } }}>
              {work && (
                <Miniature piece={piece} artwork={artwork} station={key} ticket={ticket} work={work} />
              )}
            </chakra.span>
            <chakra.span display="block" minWidth="0">
              <chakra.span
                display="flex"
                alignItems="center"
                gap="6px"
                fontFamily="condensed"
                fontSize="17px"
                fontWeight={here ? 700 : 600}
              >
                <chakra.span fontSize="13px" fontWeight={500} color="ink.faint">
                  {index + 1}
                </chakra.span>
                {name}
                <StateBadge state={state} count={looks} />
              </chakra.span>
              <chakra.span
                display="block"
                fontSize="13px"
                lineHeight="1.2"
                color="ink.soft"
                opacity={settling ? 0.86 : 1}
                lineClamp={2}
              >
                {station ? inUnit(station.facts[about] ?? station.fact, unit) : "…"}
              </chakra.span>
            </chakra.span>
          </chakra.button>
        );
      })}
    </chakra.nav>
  );
}
