import { chakra } from "@chakra-ui/react";
import { type ReactNode, useLayoutEffect, useRef } from "react";

interface Props {
  label: string;
  /** Closed by Esc, or by what it holds. */
  onClose: () => void;
  children: ReactNode;
}

/** Something that is answered or read before anything else; the browser holds the keyboard in it. */
export function Dialog({ label, onClose, children }: Props) {
  const own = useRef<HTMLDialogElement>(null);
  useLayoutEffect(() => {
    const dialog = own.current;
    dialog?.showModal();
    return () => dialog?.close(); // gives the focus back
  }, []);
  return (
    <chakra.dialog
      ref={own}
      aria-label={label}
      onClose={onClose}
      margin="auto"
      padding="20px 26px"
      maxWidth="min(560px, 92vw)"
      maxHeight="90vh"
      border="1px solid {colors.hair}"
      borderRadius="card"
      background="paper"
      color="ink"
      _backdrop={{ background: "rgba(30,42,46,.35)" }}
    >
      {children}
    </chakra.dialog>
  );
}
