import { chakra } from "@chakra-ui/react";

/** A card that is pressed whole: a picture with words beneath. */
export const CardButton = chakra("button", {
  base: {
    width: "100%",
    textAlign: "left",
    padding: "8px 12px 9px",
    background: "paper",
    border: "1px solid {colors.hair}",
    borderRadius: "card",
    cursor: "pointer",
    _hover: { borderColor: "ink" },
  },
});
