import { Box, Checkbox, Text } from "@chakra-ui/react";
import type { Field } from "../../model/schema";
import { idOf } from "../../model/selection";
import { useBoardData } from "../../session/context";
import { placeOf } from "../../session/drafting";
import { useBoard } from "../../session/store";
import { Empty } from "../../theme/parts";

interface Props {
  field: Field;
  value: unknown;
  change: (value: unknown) => void;
}

/** What a step proposes, each to take or to leave. */
export function ProposalsField({ value, change }: Props) {
  const { preview, steps, ground } = useBoardData();
  const { draft, here, set } = useBoard((board) => board);
  const at = draft ? placeOf(draft, steps, here, ground) : -1;
  const found = preview?.model.steps[at]?.proposals ?? [];
  const left = (value as string[] | undefined) ?? [];
  if (!found.length) return <Empty>Give a distance to see what is near.</Empty>;
  const show = (ids: readonly string[]) => {
    const kind = ids.length === 1 ? "corner" : ids.length === 2 ? "edge" : "side";
    set({ selection: { kind, ids: kind === "corner" ? [...ids] : [idOf(ids)] } });
  };
  return (
    <Box maxH="190px" overflowY="auto" fontSize="12px">
      {found.map(({ key, text, corners, why }) => (
        <Checkbox.Root
          key={key}
          size="xs"
          display="flex"
          my="0.5"
          checked={!left.includes(key)}
          onMouseEnter={() => show(corners)}
          onCheckedChange={({ checked }) =>
            change(checked ? left.filter((one) => one !== key) : [...left, key])
          }
        >
          <Checkbox.HiddenInput />
          <Checkbox.Control />
          <Checkbox.Label fontSize="12px" fontWeight="400">
            <Text as="span" color={why && !left.includes(key) ? "madder" : undefined}>
              {text}
            </Text>
          </Checkbox.Label>
        </Checkbox.Root>
      ))}
    </Box>
  );
}
