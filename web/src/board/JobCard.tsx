import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, type Card } from "../api/client";
import { inUnit } from "../engine/units";
import { STATIONS } from "../job/stations";
import { Button } from "../ui/Button";
import { CutLines } from "../ui/CutLines";
import { StateBadge } from "../ui/Mark";
import { Prints } from "../ui/Prints";
import { sayDate } from "../ui/slots";
import { useUnit } from "../ui/unit";

const Svg = chakra("svg");
const CardLink = chakra(Link);

interface Props {
  card: Card;
  onDuplicate: () => void;
  onArchive: () => void;
  onTick: (step: string, done: boolean) => void;
}

/** A job on the board: its picture, whose it is, how far it is, when it is due. */
export function JobCard({ card, onDuplicate, onArchive, onTick }: Props) {
  const { unit } = useUnit();
  const picture = card.card;
  const firstOpen = picture?.stations?.findIndex((one) => one.state !== "fine") ?? 0;
  const ready = picture !== null && firstOpen === -1;
  const state = ready ? "fine" : (picture?.stations?.[firstOpen]?.state ?? "waiting");
  return (
    <chakra.li
      data-job={card.id}
      position="relative"
      display="flex"
      minHeight="146px"
      background="paper.white"
      border="1px solid {colors.hair}"
      borderRadius="card"
      listStyleType="none"
      _hover={{ borderColor: "hair.strong" }}
      _before={{
        content: '""',
        position: "absolute",
        left: "66px",
        top: "-1px",
        width: "14px",
        height: "8px",
        borderRadius: "0 0 8px 8px",
        border: "1px solid {colors.hair}",
        borderTop: "none",
        background: "paper",
      }}
    >
      <chakra.div width="146px" flex="none" display="grid" placeItems="center" padding="12px 8px 8px">
        {picture?.drawing && <CardPicture drawing={picture.drawing} />}
      </chakra.div>
      <chakra.div flex="1" minWidth="0" padding="13px 14px 10px" display="flex" flexDirection="column">
        <CardLink
          to={`/jobs/${card.id}?station=${STATIONS[ready ? STATIONS.length - 1 : Math.max(firstOpen, 0)]?.key}`}
          fontFamily="condensed"
          fontWeight={600}
          fontSize="20px"
          lineHeight="1.15"
          color="ink"
          _before={{ content: '""', position: "absolute", inset: "0" }}
        >
          {card.name}
        </CardLink>
        <chakra.div color="ink.soft" fontSize="14px">
          {card.client || "nobody yet"}
        </chakra.div>
        <chakra.div display="flex" alignItems="center" gap="7px" marginTop="8px" fontSize="14px">
          <chakra.span display="inline-flex" gap="4px" aria-hidden="true">
            {STATIONS.map(({ key }, index) => (
              <Dot
                key={key}
                kind={ready || index < firstOpen ? "done" : index === firstOpen ? "here" : "open"}
              />
            ))}
          </chakra.span>
          <span>{ready ? "ready to run" : STATIONS[Math.max(firstOpen, 0)]?.name}</span>
          <StateBadge state={state} count={picture?.looks ?? 0} />
        </chakra.div>
        {!ready && picture?.why && (
          <chakra.p fontSize="14px" color="ink.soft" lineHeight="1.35" marginTop="5px" lineClamp={2}>
            {picture.why}
          </chakra.p>
        )}
        <chakra.div marginTop="auto" fontSize="14px" paddingTop="8px">
          {picture ? `${picture.quantity} on ${inUnit(picture.stock, unit)}` : ""}
          {card.due && (
            <>
              , <b>{sayDate(card.due)}</b>
            </>
          )}
        </chakra.div>
        {ready && (
          <chakra.div
            role="group"
            aria-label={`Done of ${card.name}`}
            position="relative"
            display="flex"
            flexWrap="wrap"
            gap="0 9px"
            marginTop="4px"
            fontSize="13px"
            color="ink.soft"
          >
            {(picture?.steps ?? []).map((step) => {
              const tick = card.done.find((one) => one.step === step);
              const when = tick && `${tick.by}, ${sayDate(tick.at.slice(0, 10))}`;
              return (
                <chakra.label
                  key={step}
                  title={when}
                  display="inline-flex"
                  alignItems="center"
                  gap="4px"
                  minHeight="24px"
                  cursor="pointer"
                >
                  <input
                    type="checkbox"
                    checked={tick !== undefined}
                    onChange={(event) => onTick(step, event.target.checked)}
                  />
                  {step}
                </chakra.label>
              );
            })}
          </chakra.div>
        )}
        <chakra.div position="relative" display="flex" gap="2px" marginLeft="-4px">
          <Button type="button" look="quiet" onClick={onDuplicate} aria-label={`Duplicate ${card.name}`}>
            duplicate
          </Button>
          <Button
            type="button"
            look="quiet"
            onClick={onArchive}
            aria-label={`${card.archived ? "Put back" : "Archive"} ${card.name}`}
          >
            {card.archived ? "put back" : "archive"}
          </Button>
        </chakra.div>
      </chakra.div>
    </chakra.li>
  );
}

function CardPicture({ drawing }: { drawing: string }) {
  const { data } = useQuery({
    queryKey: ["drawing", drawing],
    queryFn: () => api.drawing(drawing),
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  if (!data) return null;
  const [left, top, right, bottom] = data.box;
  const pad = 0.03 * Math.max(right - left, bottom - top);
  return (
    <Svg
      width="128px"
      height="122px"
      viewBox={`${left - pad} ${top - pad} ${right - left + 2 * pad} ${bottom - top + 2 * pad}`}
      aria-hidden="true"
    >
      <Prints prints={data.prints} />
      <CutLines lines={data.lines} width="1.3" />
    </Svg>
  );
}

function Dot({ kind }: { kind: "done" | "here" | "open" }) {
  return (
    <chakra.i
      width="9px"
      height="9px"
      borderRadius="50%"
      background={kind === "done" ? "ink" : kind === "here" ? "marigold" : "transparent"}
      border={kind === "done" ? "none" : `1.5px solid ${kind === "here" ? "#8A5F00" : "#B5B29F"}`}
    />
  );
}
