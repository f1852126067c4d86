import { Box, Flex, Text } from "@chakra-ui/react";
import type { ReactNode } from "react";

/** The bar of the shelf and of the door. */
export const Head = ({ children }: { children?: ReactNode }) => (
  <Flex bg="bar" color="barText" px="6" h="58px" align="center" justify="space-between">
    <Box>
      <Text as="h1" fontSize="17px" fontWeight="600">
        Plodek
      </Text>
      <Text fontSize="11px" color="barMuted">
        Block-structured grids
      </Text>
    </Box>
    <Flex align="center" gap="4" fontSize="11px" color="barMuted">
      {children}
    </Flex>
  </Flex>
);
