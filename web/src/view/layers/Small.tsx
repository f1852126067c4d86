import { chakra } from "@chakra-ui/react";

/** A small button of the view. */
export const Small = chakra("button", {
  base: {
    border: "1px solid",
    borderColor: "rule",
    bg: "card",
    px: "2",
    py: "0.5",
    fontSize: "11.5px",
    cursor: "pointer",
    borderRadius: "4px",
    _hover: { borderColor: "ochre" },
  },
});
