import { Box, chakra, Flex, NativeSelect, Text } from "@chakra-ui/react";
import type { Field } from "../../model/schema";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";

interface Props {
  field: Field;
  value: unknown;
  change: (value: unknown) => void;
  id: string;
}

/** Several guides: picked in the view, or chosen from a list that has groups too. */
export function GuidesField({ field, value, change, id }: Props) {
  const { model } = useBoardData();
  const picking = useBoard((board) => board.draft?.field === field.name);
  const names = (value as string[] | undefined) ?? [];
  const dim = { curve: 1, surface: 2 }[field.of];
  const fits = model.guides.filter((guide) => dim === undefined || guide.dim === dim);
  const left = [...model.groups.map((g) => g.name), ...fits.map((g) => g.name)].filter(
    (name) => !names.includes(name),
  );
  const set = (next: string[]) => change(next.length ? next : undefined);
  return (
    <Box
      border="1px solid"
      borderColor={picking ? "ochre" : "rule"}
      bg={picking ? "ochreSoft" : "card"}
      borderRadius="4px"
      px="1.5"
      py="1"
    >
      <Flex wrap="wrap" gap="1" mb="1">
        {names.map((name) => (
          <chakra.button
            key={name}
            type="button"
            fontFamily="mono"
            fontSize="11.5px"
            border="1px solid"
            borderColor="rule"
            bg="card"
            borderRadius="4px"
            px="1"
            cursor="pointer"
            title="Take out"
            onClick={() => set(names.filter((other) => other !== name))}
          >
            {name} ×
          </chakra.button>
        ))}
        {!names.length && (
          <Text fontSize="12px" color="muted">
            {picking ? "click guides in the view, or" : field.optional ? "all, or" : "none yet;"}
          </Text>
        )}
      </Flex>
      <NativeSelect.Root size="xs">
        <NativeSelect.Field
          id={id}
          height="24px"
          bg="card"
          borderColor="rule"
          value=""
          onChange={(event) => event.target.value && set([...names, event.target.value])}
        >
          <option value="">add …</option>
          {left.map((name) => (
            <option key={name} value={name}>
              {name}
            </option>
          ))}
        </NativeSelect.Field>
        <NativeSelect.Indicator />
      </NativeSelect.Root>
    </Box>
  );
}
