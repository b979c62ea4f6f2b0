import { chakra } from "@chakra-ui/react";
import { formatSize } from "../engine/units";
import { Button } from "../ui/Button";
import { useUnit } from "../ui/unit";
import { BringPiece } from "./BringPiece";
import { CopiesInHand } from "./CopiesInHand";
import { copies, elsewhere } from "./elsewhere";
import { Seams } from "./Seams";
import { canBeRehearsed, isTurned, type Sheet, type Ticket } from "./ticket";
import type { Copies } from "./useCopies";
import { NEST_SECONDS } from "./useEdits";
import type { JobDesk } from "./useJobDesk";

const A_MINUTE = 60;

interface Props {
  desk: JobDesk;
  ticket: Ticket;
  sheet: Sheet;
  hand: Copies;
  /** Put its files through the press and the cutter that ship. */
  onRehearse: () => void;
}

/** Under a sheet's sentence: what can be done with its copies, what lies on other sheets brought onto it. */
export function SheetActions({ desk, ticket, sheet, hand, onRehearse }: Props) {
  const { unit } = useUnit();
  if (sheet.behind)
    return (
      <Button
        type="button"
        look="quiet"
        onClick={() => desk.take({ kind: "take second side", sheet: sheet.id })}
      >
        take the second side away
      </Button>
    );
  const others = elsewhere(ticket, sheet);
  const laid = desk.work?.sheets[sheet.id];
  const turned = isTurned(ticket, sheet);
  const twoSided = ticket.sheets.some((one) => one.behind === sheet.id);
  const shared = sheet.holds.length > 1 ? sheet.holds : [];
  const found =
    desk.nested?.sheet === sheet.id && sheet.arrangement === "as placed" && !desk.nesting
      ? desk.nested
      : null;
  const nesting = desk.nesting?.sheet === sheet.id ? desk.nesting : null;
  return (
    <chakra.div marginTop="4px">
      <chakra.div display="flex" flexWrap="wrap" gap="2px 10px" alignItems="center">
        {turned ? null : nesting ? (
          <>
            {/* before the words, whose length changes with each better nest: it must not move under the hand */}
            <Button type="button" minHeight="26px" onClick={desk.stopNest}>
              Keep the best so far
            </Button>
            <chakra.span role="status" fontSize="14px">
              {nesting.words}…
            </chakra.span>
          </>
        ) : (
          <Button
            type="button"
            minHeight="26px"
            disabled={desk.nesting !== null}
            onClick={() => desk.nest({ sheet: sheet.id, seconds: NEST_SECONDS })}
          >
            Nest as tight as they go
          </Button>
        )}
        {canBeRehearsed(ticket, sheet) && (
          <Button type="button" minHeight="26px" onClick={onRehearse}>
            Rehearse it
          </Button>
        )}
        {sheet.arrangement === "as placed" &&
          sheet.holds.map(({ id, layer }) => (
            <Button
              key={id}
              type="button"
              look="quiet"
              onClick={() => desk.oneMore({ sheet: sheet.id, layer })}
            >
              one more {sheet.holds.length > 1 ? copies(ticket, layer) : "where there is room"}
            </Button>
          ))}
        <Button
          type="button"
          look="quiet"
          onClick={() => desk.take({ kind: "more of the same", sheet: sheet.id })}
        >
          some more of the same
        </Button>
        {!twoSided && !turned && (
          <Button
            type="button"
            look="quiet"
            onClick={() => desk.take({ kind: "give second side", sheet: sheet.id })}
          >
            give it a second side
          </Button>
        )}
        <BringPiece desk={desk} sheet={sheet.id} />
        {others.map(({ layer, name }) => (
          <Button
            key={layer}
            type="button"
            look="quiet"
            onClick={() => desk.take({ kind: "bring layer", sheet: sheet.id, layer })}
          >
            bring {name} onto this sheet
          </Button>
        ))}
        {shared.map(({ id, layer }) => (
          <Button
            key={id}
            type="button"
            look="quiet"
            onClick={() => desk.take({ kind: "give own sheet", sheet: sheet.id, layer })}
          >
            give {copies(ticket, layer)} a sheet of its own
          </Button>
        ))}
      </chakra.div>
      {found && (
        <chakra.p fontSize="14.5px" color="ink.soft" marginTop="4px">
          {found.copies === 1 ? "1 copy" : `${found.copies} copies`} in {formatSize(found.length, unit)}
          {found.waste !== null && `, ${Math.round(100 * (1 - found.waste))} % of it pieces`}. More time may
          find a tighter one.{" "}
          <Button
            type="button"
            minHeight="26px"
            onClick={() => desk.nest({ sheet: sheet.id, seconds: A_MINUTE })}
          >
            Look for another minute
          </Button>
        </chakra.p>
      )}
      {laid && <Seams desk={desk} sheet={sheet} laid={laid} />}
      <CopiesInHand sheet={sheet} hand={hand} />
    </chakra.div>
  );
}
