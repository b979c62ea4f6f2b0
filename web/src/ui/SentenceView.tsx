import { chakra } from "@chakra-ui/react";
import { type ReactNode, useEffect, useRef, useState } from "react";
import type { Sentence, Slot } from "../api/client";
import { inUnit, type Unit } from "../engine/units";
import { processColour } from "../theme/processes";
import { Button } from "./Button";
import { ChoiceSlot } from "./ChoiceSlot";
import { ColourSlot } from "./ColourSlot";
import { NumberSlot } from "./NumberSlot";
import type { Value } from "./slots";
import { WordSlot } from "./WordSlot";

export interface SlotActions {
  /** A value to show without taking it. */
  onDraft: (path: string, value: Value) => void;
  /** A value to keep as one change. */
  onTake: (path: string, value: Value) => void;
  /** Back to what is kept. */
  onRestore: () => void;
}

/** What follows a slot without a space stays on its line. */
const PUNCTUATION = /^[.,;:”]+/;

interface Props extends SlotActions {
  sentence: Sentence;
  /** Draft values by path, shown in place of the kept ones. */
  draft: Readonly<Record<string, Value>>;
  suggested: Readonly<Record<string, number>>;
  unit: Unit;
  /** Whether what is done on the table goes to this sentence's item. */
  held?: boolean;
  onHold?: () => void;
  children?: ReactNode;
}

/** Any sentence of the ticket with its slots; a new rule needs no new form. */
export function SentenceView({
  sentence,
  draft,
  suggested,
  unit,
  held,
  onHold,
  children,
  ...actions
}: Props) {
  const hasMore = sentence.more.length > 0;
  const own = useRef<HTMLDivElement>(null);
  // what was just added, or taken in hand on the table, is brought into sight; not what is being pressed
  useEffect(() => {
    const inside = own.current?.contains(document.activeElement);
    if (held && !inside) own.current?.scrollIntoView({ block: "nearest" });
  }, [held]);
  const changed = sentence.more.some((part) => typeof part !== "string" && part.changed);
  // at Lines the sentence itself says what matters of a long “more”
  const [more, setMore] = useState(changed && sentence.station !== "lines");
  const slots = (parts: Sentence["parts"]) =>
    parts.map((part, index) => {
      if (typeof part === "string") {
        const afterSlot = index > 0 && typeof parts[index - 1] !== "string";
        const said = inUnit(part, unit);
        const whole = index === 0 ? said.charAt(0).toUpperCase() + said.slice(1) : said;
        const words = afterSlot ? whole.replace(PUNCTUATION, "") : whole;
        // biome-ignore lint/suspicious/noArrayIndexKey: words have their place only
        return <span key={index}>{words}</span>;
      }
      const next = parts[index + 1];
      const punctuation = typeof next === "string" ? (PUNCTUATION.exec(next)?.[0] ?? "") : "";
      return (
        <chakra.span key={part.path} whiteSpace="nowrap">
          <SlotView
            slot={part}
            first={index === 0}
            value={part.path in draft ? (draft[part.path] as Value) : part.value}
            suggested={suggested[part.path]}
            unit={unit}
            {...actions}
          />
          {punctuation}
        </chakra.span>
      );
    });
  return (
    <chakra.div
      ref={own}
      data-sentence={sentence.id}
      data-held={held || undefined}
      onFocusCapture={onHold}
      boxShadow={held ? "inset 3px 0 0 {colors.marigold}" : undefined}
      position="relative"
      padding="11px 20px 12px 26px"
      borderTop="1px solid {colors.hair.soft}"
      fontSize="16px"
      lineHeight="1.6"
      opacity={sentence.on ? 1 : 0.8}
      _focusWithin={{ background: "paper.white" }}
    >
      {sentence.process && (
        <chakra.span
          aria-hidden="true"
          position="absolute"
          left="10px"
          top="12px"
          bottom="13px"
          width="5px"
          background={processColour(sentence.process)}
        />
      )}
      {!sentence.on && <b>Off: </b>}
      {slots(sentence.parts)}
      {hasMore && (
        <Button
          look="quiet"
          type="button"
          marginLeft="4px"
          aria-expanded={more}
          onClick={() => setMore(!more)}
        >
          {more ? "less" : "more"}
        </Button>
      )}
      {hasMore && more && <chakra.div>{slots(sentence.more)}</chakra.div>}
      {children}
    </chakra.div>
  );
}

interface SlotProps extends SlotActions {
  slot: Slot;
  first: boolean;
  value: Value;
  suggested: number | undefined;
  unit: Unit;
}

function SlotView({ slot, first, value, suggested, unit, onDraft, onTake, onRestore }: SlotProps) {
  const own = {
    slot,
    value,
    unit,
    onDraft: (next: Value) => onDraft(slot.path, next),
    onTake: (next: Value) => onTake(slot.path, next),
    onRestore,
  };
  const view =
    slot.kind === "choice" ? (
      <ChoiceSlot {...own} />
    ) : slot.kind === "colour" ? (
      <ColourSlot slot={slot} value={value} onTake={own.onTake} />
    ) : slot.kind === "text" || slot.kind === "date" ? (
      <WordSlot slot={slot} value={value} onTake={own.onTake} />
    ) : (
      <NumberSlot {...own} suggested={suggested} />
    );
  // a sentence that begins with a value begins with a capital
  return first ? (
    <chakra.span
      css={{
        "& button::first-letter": { textTransform: "uppercase" },
        "& button": { display: "inline-block" },
      }}
    >
      {view}
    </chakra.span>
  ) : (
    view
  );
}
