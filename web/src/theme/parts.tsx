import { Box, Button, type ButtonProps, Flex, Text, type TextProps } from "@chakra-ui/react";
import type { ReactNode } from "react";

/** A small heading in capitals, with a word at its right. */
export function Heading({ children, right }: { children: ReactNode; right?: ReactNode }) {
  return (
    <Flex justify="space-between" align="baseline" gap="2" mb="2">
      <Text
        as="h2"
        fontSize="11px"
        fontWeight="600"
        letterSpacing="0.1em"
        color="muted"
        textTransform="uppercase"
      >
        {children}
      </Text>
      {right !== undefined && (
        <Text fontSize="11px" color="muted" letterSpacing="0.04em">
          {right}
        </Text>
      )}
    </Flex>
  );
}

/** The one rust button that keeps or does. */
export const Do = (props: ButtonProps) => (
  <Button
    bg="rust"
    color="#fffdf8"
    size="sm"
    width="full"
    borderRadius="md"
    fontWeight="600"
    _hover={{ filter: "brightness(1.08)" }}
    {...props}
  />
);

export const Quiet = (props: ButtonProps) => (
  <Button
    variant="outline"
    size="xs"
    borderColor="rule"
    bg="card"
    color="ink"
    fontWeight="500"
    _hover={{ bg: "ochreSoft" }}
    {...props}
  />
);

export const Mono = (props: TextProps) => <Text as="span" fontFamily="mono" {...props} />;

/** An error where the mistake is: what was met and what helps. */
export const Wrong = ({ children }: { children: ReactNode }) => (
  <Box
    role="alert"
    bg="madderSoft"
    color="madder"
    borderLeft="3px solid"
    borderColor="madder"
    px="3"
    py="2"
    borderRadius="sm"
    fontSize="12px"
    overflowWrap="anywhere"
  >
    {children}
  </Box>
);

/** What an empty place says: what to do next. */
export const Empty = ({ children }: { children: ReactNode }) => (
  <Text color="muted" fontSize="12px" py="1">
    {children}
  </Text>
);

/** “If you keep this”: the card of what a draft would do. */
export const Kept = ({ children }: { children: ReactNode }) => (
  <Box
    role="status"
    aria-label="If you keep this"
    bg="tealSoft"
    border="1px solid"
    borderColor="rule"
    borderRadius="md"
    px="3"
    py="2"
    mt="3"
    fontSize="12px"
    maxHeight="22vh"
    overflowY="auto"
    flexShrink="0"
  >
    <Text fontWeight="600">If you keep this</Text>
    {children}
  </Box>
);

/** A line of a name and a value. */
export const Fact = ({ name, value }: { name: string; value: ReactNode }) => (
  <Flex justify="space-between" gap="3" py="0.5" fontSize="12px">
    <Text color="muted">{name}</Text>
    <Text fontFamily="mono" textAlign="right" overflowWrap="anywhere">
      {value}
    </Text>
  </Flex>
);
