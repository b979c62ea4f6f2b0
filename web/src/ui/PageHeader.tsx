import { chakra } from "@chakra-ui/react";
import type { ReactNode } from "react";

/** The head of a page: first what leads away from it, its title, and what can be done there. */
export function PageHeader(props: { mark: ReactNode; title: string; children: ReactNode }) {
  return (
    <chakra.header
      height="58px"
      display="flex"
      alignItems="center"
      gap="16px"
      paddingX="20px"
      borderBottom="1px solid {colors.hair}"
    >
      {props.mark}
      <chakra.h1 fontFamily="condensed" fontWeight={700} fontSize="24px">
        {props.title}
      </chakra.h1>
      {props.children}
    </chakra.header>
  );
}
