import { chakra, FocusTrap } from "@chakra-ui/react";
import { type ReactNode, useLayoutEffect, useRef } from "react";
import { Button } from "./Button";

const Trap = chakra(FocusTrap);

interface Props {
  label: string;
  title: string;
  onClose: () => void;
  children: ReactNode;
}

/** Something laid over the table for a while, with a heading and a way back; Esc leaves it. */
export function Overlay({ label, title, onClose, children }: Props) {
  const back = useRef<HTMLButtonElement>(null);
  // before the trap's own, which comes a moment later: an Esc pressed in that moment would be lost
  useLayoutEffect(() => {
    const opener = document.activeElement;
    back.current?.focus();
    return () => {
      if (opener instanceof HTMLElement) opener.focus();
    };
  }, []);
  return (
    <Trap
      role="dialog"
      aria-modal="true"
      aria-label={label}
      initialFocus={() => back.current ?? false}
      position="absolute"
      inset="0"
      zIndex={10}
      background="mat"
      overflowY="auto"
      padding="14px 18px 20px"
      onKeyDown={(event) => {
        if (event.key === "Escape") onClose();
        event.stopPropagation();
      }}
    >
      <chakra.div display="flex" alignItems="center" gap="12px" marginBottom="10px">
        <chakra.h2 fontFamily="condensed" fontWeight={700} fontSize="22px" flex="1">
          {title}
        </chakra.h2>
        <Button type="button" ref={back} onClick={onClose}>
          Back to the table
        </Button>
      </chakra.div>
      {children}
    </Trap>
  );
}
