import { chakra } from "@chakra-ui/react";

/** A slip of paper to press. ``quiet`` has no border, ``strong`` is ink on paper turned round. */
export const Button = chakra("button", {
  base: {
    display: "inline-flex",
    alignItems: "center",
    justifyContent: "center",
    gap: "6px",
    minHeight: "30px",
    minWidth: "30px",
    paddingX: "10px",
    borderRadius: "slip",
    border: "1px solid {colors.hair}",
    background: "paper.white",
    fontWeight: 500,
    fontSize: "14px",
    cursor: "pointer",
    color: "ink",
    _hover: { borderColor: "hair.strong" },
    _disabled: { color: "hair.strong", cursor: "default", borderColor: "hair.soft" },
  },
  variants: {
    look: {
      slip: {},
      quiet: {
        border: "none",
        background: "transparent",
        color: "ink.soft",
        minHeight: "24px",
        minWidth: "24px",
        paddingX: "4px",
        _hover: { color: "ink", textDecoration: "underline" },
      },
      strong: { background: "ink", color: "paper", borderColor: "ink", _hover: { background: "#2d3d43" } },
    },
  },
  defaultVariants: { look: "slip" },
});
