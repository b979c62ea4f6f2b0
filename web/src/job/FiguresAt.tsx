import { chakra } from "@chakra-ui/react";
import type { Work } from "../api/client";
import { figureInUnit } from "../engine/units";
import { useUnit } from "../ui/unit";
import type { StationKey } from "./stations";
import type { JobDesk } from "./useJobDesk";

/** What a station counts, at the foot of the ticket. about: the piece or artwork that is looked at. */
export function FiguresAt(props: {
  station: StationKey;
  desk: JobDesk;
  work: Work;
  about: string | undefined;
}) {
  const { station, desk, work } = props;
  const told = work.stations.find((one) => one.key === station)?.figures ?? [];
  const figures = told.filter(
    ({ about }) => !about || station === "sheet" || station === "machine" || about === props.about,
  );
  if (figures.length === 0) return null;
  return (
    <chakra.div
      padding="10px 20px 12px"
      borderTop="1.5px solid {colors.ink}"
      maxHeight="38%"
      overflowY="auto"
      opacity={desk.settling ? 0.86 : 1}
      data-settling={desk.settling || undefined}
      role="group"
      aria-label="Figures"
      tabIndex={0}
    >
      {[...new Set(figures.map((one) => one.about))].map((about) => (
        <Figures
          key={about}
          of={work.sheets[about]?.name ?? ""}
          money={desk.job?.money ?? ""}
          figures={figures.filter((one) => one.about === about)}
        />
      ))}
    </chakra.div>
  );
}

/** Values with their labels, under the name of the sheet they are of. */
function Figures({
  of,
  money,
  figures,
}: {
  of: string;
  money: string;
  figures: readonly { value: string; label: string }[];
}) {
  const { unit } = useUnit();
  return (
    <>
      {of && (
        <chakra.p fontFamily="condensed" fontSize="14.5px" color="ink.soft" marginTop="6px">
          {of}
        </chakra.p>
      )}
      <chakra.dl display="grid" gridTemplateColumns="1fr 1fr" gap="6px 18px">
        {figures
          .map((one) => figureInUnit(one.value, one.label, unit))
          .map(({ value, label }) => (
            <chakra.div key={label} display="flex" flexDirection="column-reverse" lineHeight="1.25">
              <chakra.dt fontSize="12.5px" color="ink.soft">
                {label}
              </chakra.dt>
              <chakra.dd fontFamily="condensed" fontWeight={600} fontSize="19px">
                {value.replace("¤", money).trim()}
              </chakra.dd>
            </chakra.div>
          ))}
      </chakra.dl>
    </>
  );
}
