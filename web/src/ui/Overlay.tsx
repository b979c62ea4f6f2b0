import { chakra } from "@chakra-ui/react";
import { type KeyboardEvent, type ReactNode, useEffect, useLayoutEffect, useRef } from "react";
import { Button } from "./Button";

const FOCUSABLE = "a[href], button:enabled, input:enabled, select:enabled, textarea:enabled, [tabindex='0']";

interface Props {
  label: string;
  title: string;
  onClose: () => void;
  /** The key that laid it over the table, and takes it off again. */
  again?: string;
  children: ReactNode;
}

/** Something laid over the table for a while, with a heading and a way back; it holds the keyboard, and Esc leaves it. */
export function Overlay({ label, title, onClose, again, children }: Props) {
  const back = useRef<HTMLButtonElement>(null);
  const close = useRef(onClose);
  close.current = onClose;
  useEffect(() => {
    // a button that goes away, or is switched off, leaves the keyboard to the page
    const left = (event: globalThis.KeyboardEvent) => {
      if (event.key === "Escape" && document.activeElement === document.body) close.current();
    };
    document.addEventListener("keydown", left);
    return () => document.removeEventListener("keydown", left);
  }, []);
  useLayoutEffect(() => {
    const opener = document.activeElement;
    back.current?.focus();
    return () => {
      if (opener instanceof HTMLElement) opener.focus();
    };
  }, []);
  return (
    <chakra.div
      role="dialog"
      aria-modal="true"
      aria-label={label}
      tabIndex={-1}
      position="absolute"
      inset="0"
      zIndex={10}
      background="mat"
      overflowY="auto"
      padding="14px 18px 20px"
      outline="none"
      onKeyDown={(event) => {
        if (event.key === "Escape" || event.key === again) onClose();
        if (event.key === "Tab") goRound(event);
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
    </chakra.div>
  );
}

/** After the last control comes the first, and before the first the last. */
function goRound(event: KeyboardEvent<HTMLElement>) {
  const controls = [...event.currentTarget.querySelectorAll<HTMLElement>(FOCUSABLE)];
  const [edge, next] = event.shiftKey ? [controls[0], controls.at(-1)] : [controls.at(-1), controls[0]];
  const outside = document.activeElement === event.currentTarget && event.shiftKey;
  if (document.activeElement !== edge && !outside) return;
  event.preventDefault();
  next?.focus();
}
