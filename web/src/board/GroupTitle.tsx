import { chakra } from "@chakra-ui/react";

/** The heading of a part of the board. */
export function GroupTitle({ children }: { children: React.ReactNode }) {
  return (
    <chakra.h2 fontFamily="condensed" fontWeight={600} fontSize="21px" margin="20px 0 10px">
      {children}
    </chakra.h2>
  );
}
