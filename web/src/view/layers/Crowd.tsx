import { Box, chakra, Text } from "@chakra-ui/react";
import { useBoard } from "../../session/store";

/** Takes a guide in hand as a click on it in the view would. */
export const takeGuide = (name: string): boolean =>
  window.dispatchEvent(new CustomEvent("take-guide", { detail: name }));

/** All guides under the cursor, where a right click asked for them: the way through a crowd. */
export function Crowd() {
  const crowd = useBoard((board) => board.crowd);
  if (!crowd) return null;
  return (
    <Box
      role="listbox"
      aria-label="Under the cursor"
      position="absolute"
      left={`${crowd.at[0]}px`}
      top={`${crowd.at[1]}px`}
      bg="card"
      border="1px solid"
      borderColor="rule"
      borderRadius="md"
      boxShadow="md"
      zIndex="10"
      maxH="240px"
      overflowY="auto"
      py="1"
    >
      <Text fontSize="11px" color="muted" px="3">
        under the cursor
      </Text>
      {crowd.hits.map((hit) => (
        <chakra.button
          key={hit.id}
          type="button"
          role="option"
          aria-selected={false}
          display="block"
          width="100%"
          textAlign="left"
          px="3"
          py="0.5"
          fontFamily="mono"
          fontSize="12px"
          cursor="pointer"
          _hover={{ bg: "ochreSoft" }}
          onClick={() => takeGuide(hit.id)}
        >
          {hit.words}
        </chakra.button>
      ))}
    </Box>
  );
}
