import { Box, Grid } from "@chakra-ui/react";
import { useBoard } from "../session/store";
import { Histogram } from "../stages/check/Histogram";
import { WorstCells } from "../stages/check/WorstCells";
import { Measure } from "../stages/shape/Measure";
import { Budget } from "../stages/spacing/Budget";
import { SizeChart } from "../stages/spacing/SizeChart";
import { Tiers } from "../stages/spacing/Tiers";

/**
 * The band at the bottom: tiers, cell sizes and budget; in Shape what is measured, in Check the
 * histogram and the worst cells.
 */
export function Strip() {
  const check = useBoard((board) => board.stage === "Check");
  const shape = useBoard((board) => board.stage === "Shape");
  return (
    <Grid
      as="section"
      aria-label="Strip"
      height="100%"
      bg="card"
      borderTop="1px solid"
      borderColor="rule"
      templateColumns={
        check
          ? "minmax(0, 1fr) 380px"
          : { base: "300px minmax(0, 1fr) 200px", xl: "380px minmax(0, 1fr) 250px" }
      }
      gap="6"
      px="4"
      py="2.5"
    >
      {check ? (
        <>
          <Histogram />
          <WorstCells />
        </>
      ) : shape ? (
        <Measure />
      ) : (
        <>
          <Tiers />
          <SizeChart />
          <Box minW="0">
            <Budget />
          </Box>
        </>
      )}
    </Grid>
  );
}
