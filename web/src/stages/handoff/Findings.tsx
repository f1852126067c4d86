import { Box, Flex, Text } from "@chakra-ui/react";

export interface Finding {
  what: string;
  fine: boolean | null;
  said: string;
}

const SIGNS = {
  true: { sign: "✓", colour: "teal", said: "holds" },
  false: { sign: "✗", colour: "madder", said: "does not hold" },
  null: { sign: "–", colour: "muted", said: "not looked at" },
} as const;

/** What was found of a file, a line each: whether it holds, what, and the figures. */
export function Findings({ label, findings }: { label: string; findings: Finding[] }) {
  return (
    <Box as="ul" aria-label={label} listStyleType="none" mt="1">
      {findings.map(({ what, fine, said }) => {
        const told = SIGNS[String(fine) as keyof typeof SIGNS];
        return (
          <Flex as="li" key={what} gap="2" py="0.5" fontSize="12px">
            <Text as="span" color={told.colour} fontWeight="600" role="img" aria-label={told.said}>
              {told.sign}
            </Text>
            <Box flex="1">
              {what}
              <Text color="muted" fontSize="11px" overflowWrap="anywhere">
                {said}
              </Text>
            </Box>
          </Flex>
        );
      })}
    </Box>
  );
}
