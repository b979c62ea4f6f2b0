import { chakra } from "@chakra-ui/react";
import { useQuery } from "@tanstack/react-query";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { type Change, Refusal, type TryOut } from "../api/client";
import { inUnit } from "../engine/units";
import { Button } from "../ui/Button";
import { CardButton } from "../ui/CardButton";
import { Overlay } from "../ui/Overlay";
import { useUnit } from "../ui/unit";

interface Props<T> {
  label: string;
  title: string;
  /** Undefined while they are being chosen. */
  settings: TryOut[] | undefined;
  choosing: string;
  /** What a card says while its setting is tried. */
  trying: string;
  /** Of what each is tried on; its name is added. */
  queryKey: readonly (string | number)[];
  onAsk: (setting: TryOut) => Promise<T>;
  onPicture: (tried: T) => ReactNode;
  onFigures: (tried: T) => string;
  /** All that were tried so far, whenever there is one more. */
  onTried?: (all: readonly T[]) => void;
  /** Of the pictures, px. */
  height: number;
  onTake: (changes: Change[]) => void;
  onClose: () => void;
}

const LARGER = 2.6;

/** Settings over the table, each with its look and its figures; a press takes one. */
export function SideBySide<T>(props: Props<T>) {
  const { label, title, settings, choosing, onClose, onTried, ...each } = props;
  // one after the other, so that the rest of the shop is not kept waiting
  const [done, setDone] = useState(0);
  const [large, setLarge] = useState(false);
  const tried = useRef<T[]>([]);
  return (
    <Overlay label={label} title={title} onClose={onClose}>
      <Button type="button" aria-pressed={large} marginBottom="10px" onClick={() => setLarge(!large)}>
        {large ? "Show them smaller" : "Show them larger"}
      </Button>
      <chakra.ul
        padding="0"
        listStyleType="none"
        display="grid"
        gap="10px"
        gridTemplateColumns={`repeat(auto-fill, minmax(${large ? 340 : 210}px, 1fr))`}
      >
        {settings?.map((setting, index) => (
          <Card
            key={setting.name}
            {...each}
            height={large ? LARGER * each.height : each.height}
            setting={setting}
            mayStart={index <= done}
            onSettled={(result) => {
              setDone((before) => Math.max(before, index + 1));
              if (result !== undefined) tried.current = [...tried.current, result];
              onTried?.(tried.current);
            }}
          />
        ))}
      </chakra.ul>
      {!settings && <p role="status">{choosing}</p>}
    </Overlay>
  );
}

interface CardProps<T>
  extends Pick<Props<T>, "trying" | "queryKey" | "onAsk" | "onPicture" | "onFigures" | "height" | "onTake"> {
  setting: TryOut;
  mayStart: boolean;
  onSettled: (tried: T | undefined) => void;
}

function Card<T>({ setting, mayStart, onSettled, trying, height, ...own }: CardProps<T>) {
  const { data, error } = useQuery({
    queryKey: [...own.queryKey, setting.name],
    queryFn: () => own.onAsk(setting),
    enabled: mayStart,
    retry: false,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const { unit } = useUnit();
  const settled = data !== undefined || error !== null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: told once, when it has settled
  useEffect(() => {
    if (settled) onSettled(data);
  }, [settled]);
  return (
    <li>
      <CardButton
        type="button"
        data-try-out={setting.name}
        disabled={data === undefined}
        onClick={() => own.onTake(setting.changes)}
        _disabled={{ cursor: "default", opacity: 0.75 }}
      >
        <chakra.span
          display="grid"
          placeItems="center"
          height={`${height}px`}
          background="paper.white"
          borderRadius="slip"
          marginBottom="6px"
          overflow="hidden"
        >
          {data !== undefined ? (
            own.onPicture(data)
          ) : (
            <span>{error ? "–" : mayStart ? trying : "waiting"}</span>
          )}
        </chakra.span>
        <chakra.b display="block" fontWeight={600} lineHeight="1.25">
          {inUnit(setting.name, unit)}
        </chakra.b>
        <chakra.span display="block" fontSize="13.5px" color="ink.soft" lineHeight="1.35" minHeight="37px">
          {data !== undefined ? own.onFigures(data) : error instanceof Refusal ? error.message : ""}
        </chakra.span>
      </CardButton>
    </li>
  );
}
