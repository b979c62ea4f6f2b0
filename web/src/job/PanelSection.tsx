import { chakra } from "@chakra-ui/react";
import type { ReactNode } from "react";

/** A part of a station's panel with a heading of its own, ruled off from what is above. */
export function PanelSection({ title, children }: { title: string; children: ReactNode }) {
  return (
    <chakra.section
      aria-label={title}
      marginTop="16px"
      paddingTop="10px"
      borderTop="1px solid {colors.hair.soft}"
    >
      <chakra.h2 fontFamily="condensed" fontWeight={600} fontSize="18px">
        {title}
      </chakra.h2>
      {children}
    </chakra.section>
  );
}
