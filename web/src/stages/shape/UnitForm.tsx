import { Box, NativeSelect, Text } from "@chakra-ui/react";
import { useState } from "react";
import type { LengthUnit } from "../../api/queries";
import { METRES, short } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { Do, Quiet } from "../../theme/parts";

/** Another unit for what is there already: its two meanings, told apart by what becomes of the size. */
export function UnitForm() {
  const { model, changeUnit, cancel, busy } = useBoardData();
  const [unit, setUnit] = useState<LengthUnit>(model.unit as LengthUnit);
  const places = [
    ...model.guides.flatMap((g) => [g.low, g.high]),
    ...model.corners.map((c) => c.xyz),
  ];
  const across = Math.max(
    0,
    ...[0, 1, 2].map((n) => {
      const along = places.map((p) => p[n] ?? 0);
      return along.length ? Math.max(...along) - Math.min(...along) : 0;
    }),
  );
  const same = unit === model.unit;
  const factor = (METRES[model.unit] as number) / (METRES[unit] as number);
  return (
    <Box as="form" aria-label="Unit" onSubmit={(event: React.FormEvent) => event.preventDefault()}>
      <Text fontSize="15px" fontWeight="600">
        Another unit
      </Text>
      <Text color="muted" fontSize="12px" mb="2">
        Now the project measures in {model.unit} and is {short(across, 5)} {model.unit} across.
      </Text>
      <NativeSelect.Root size="xs">
        <NativeSelect.Field
          aria-label="Length unit"
          bg="card"
          borderColor="rule"
          value={unit}
          onChange={(event) => setUnit(event.target.value as LengthUnit)}
        >
          {Object.keys(METRES).map((name) => (
            <option key={name}>{name}</option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
      {!same && (
        <>
          <Do mt="3" disabled={busy} onClick={() => changeUnit(unit, "convert")}>
            Convert the numbers
          </Do>
          <Text fontSize="12px" mt="1" color="muted">
            The shape stays as large as it is: {short(across, 5)} {model.unit} become{" "}
            {short(across * factor, 5)} {unit}.
          </Text>
          <Do mt="3" disabled={busy} onClick={() => changeUnit(unit, "keep")}>
            Keep the numbers
          </Do>
          <Text fontSize="12px" mt="1" color="muted">
            They were meant in {unit} all along: {short(across, 5)} {model.unit} become{" "}
            {short(across, 5)} {unit}. Lengths with a unit of their own, and CAD files that tell
            theirs, stay.
          </Text>
        </>
      )}
      <Quiet mt="3" type="button" width="100%" onClick={cancel}>
        Back out (Esc)
      </Quiet>
    </Box>
  );
}
