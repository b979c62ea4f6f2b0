/** A value set into a sentence: bold, dotted beneath, marigold while it is in hand. */
export const slotStyle = {
  base: {
    display: "inline",
    font: "inherit",
    fontWeight: 600,
    color: "ink",
    background: "transparent",
    border: "none",
    borderBottom: "1.5px dotted {colors.hair.strong}",
    padding: "2px 1px 0",
    minHeight: "24px",
    minWidth: "24px",
    cursor: "pointer",
    textAlign: "left",
    whiteSpace: "normal",
    overflowWrap: "anywhere",
    _hover: { background: "marigold.note" },
    "&[data-held], &[aria-expanded=true]": {
      background: "marigold.pale",
      borderBottom: "2px solid {colors.marigold}",
      borderRadius: "3px 3px 0 0",
    },
  },
} as const;
