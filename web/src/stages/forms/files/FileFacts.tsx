import { Box, Flex, Text } from "@chakra-ui/react";
import { useFile } from "../../../api/queries";
import { METRES, short, whole } from "../../../model/numbers";
import { answer } from "../../../session/answering";
import { useBoardData } from "../../../session/context";
import { useBoard } from "../../../session/store";
import { Mono, Wrong } from "../../../theme/parts";

/** What a stored file holds; where it does not say its unit, its size in each that it may be in. */
export function FileFacts({ name }: { name: string }) {
  const { project, model, kinds } = useBoardData();
  const draft = useBoard((board) => board.draft);
  const kind = kinds.get(draft?.step.kind ?? "");
  const { data, error } = useFile(project, name);
  if (error) return <Wrong>{error.message}</Wrong>;
  if (!data) return null;
  const sizes = data.low.map((v, n) => (data.high[n] ?? 0) - v);
  const flat = (sizes[2] ?? 0) === 0 ? sizes.slice(0, 2) : sizes;
  const counts = Object.entries(data.counts).map(
    ([what, count]) => `${whole(count)} ${count === 1 ? what.replace(/s$/, "") : what}`,
  );
  const chosen = draft?.step.file_unit;
  const pick = (unit: string) => kind && answer(kind, draft?.step.id, { file_unit: unit });
  return (
    <Box mt="1" fontSize="11px" color="muted">
      <Text>
        {counts.join(", ")}
        {data.title ? `, titled “${data.title}”` : ""}
        {data.kind === "points" &&
          (data.closed ? ", closed" : `, open, its ends ${short(data.gap)} apart`)}
      </Text>
      {data.kind === "recipe" || data.kind === "map" ? null : data.unit ? (
        <Text>
          {flat.map((v) => short(inUnit(v, data.unit, model.unit), 4)).join(" × ")} {model.unit}
          {data.file_unit && `; written in ${data.file_unit}`}
        </Text>
      ) : (
        <Box>
          <Text>The file does not say its unit. It would be:</Text>
          {Object.keys(METRES).map((unit) => (
            <Flex
              key={unit}
              as="button"
              {...{ type: "button" }}
              width="100%"
              justify="space-between"
              px="1.5"
              borderRadius="4px"
              cursor="pointer"
              bg={chosen === unit ? "ochreSoft" : undefined}
              color={chosen === unit ? "ink" : undefined}
              _hover={{ bg: "ochreSoft" }}
              onClick={() => pick(unit)}
            >
              <Text>in {unit}</Text>
              <Mono>
                {flat.map((v) => short(inUnit(v, unit, model.unit), 4)).join(" × ")} {model.unit}
              </Mono>
            </Flex>
          ))}
        </Box>
      )}
      {data.left_out.length > 0 && <Text>left out: {data.left_out.slice(0, 5).join(", ")}</Text>}
    </Box>
  );
}

const inUnit = (value: number, from: string, to: string): number =>
  (value * (METRES[from] ?? 1)) / (METRES[to] ?? 1);
