import { Box, chakra, Flex, Text } from "@chakra-ui/react";
import { whole } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { tone } from "../../theme/palette";
import { Quiet } from "../../theme/parts";

/** The patches with their types and faces, and what has no name yet. */
export function Patches() {
  const { model, steps, edit, begin } = useBoardData();
  const alone = useBoard((board) => board.alone);
  const show = (name: string | null) =>
    useBoard.setState({ alone: name, layer: "Patches", field: null });
  /** Changes the step that has named a patch; what a file or another step has named is renamed. */
  const change = (name: string, type: string) => {
    const step = steps.find((s) => s.kind === "patch" && s.name === name);
    if (step) edit(step.id);
    else begin("rename-patch", { patch: name, name, type });
  };
  return (
    <Box>
      {model.patches.map((patch, n) => (
        <Flex
          key={patch.name}
          align="center"
          gap="1"
          borderRadius="4px"
          _hover={{ bg: "ochreSoft" }}
        >
          <chakra.button
            type="button"
            display="flex"
            flex="1"
            minW="0"
            gap="2"
            alignItems="center"
            py="1"
            px="1"
            cursor="pointer"
            title="Change its name or type"
            onClick={() => change(patch.name, patch.type)}
          >
            <Box width="10px" height="10px" borderRadius="2px" bg={tone(n)} flexShrink="0" />
            <Text fontFamily="mono" fontSize="12px" flex="1" textAlign="left" truncate>
              {patch.name}
            </Text>
            <Text fontSize="12px" color="muted">
              {patch.type}
            </Text>
            <Text fontFamily="mono" fontSize="11px" width="44px" textAlign="right">
              {whole(patch.faces)}
            </Text>
          </chakra.button>
          {model.dim === 3 && (
            <chakra.button
              type="button"
              fontSize="11px"
              px="1"
              cursor="pointer"
              borderRadius="4px"
              color={alone === patch.name ? "paper" : "teal"}
              bg={alone === patch.name ? "teal" : undefined}
              aria-pressed={alone === patch.name}
              aria-label={`Show ${patch.name} alone`}
              onClick={() => show(alone === patch.name ? null : patch.name)}
            >
              alone
            </chakra.button>
          )}
        </Flex>
      ))}
      {model.unnamed_faces > 0 ? (
        <Box bg="madderSoft" color="madder" px="3" py="2" mt="2" borderRadius="md">
          <Text fontSize="12px">
            {whole(model.unnamed_faces)} of {whole(model.faces)} outer faces have no name; they are
            drawn dark red in the view.
          </Text>
          <Flex gap="1" mt="1">
            <Quiet onClick={() => begin("patch", { faces: { rest: true } })}>
              Name all the rest
            </Quiet>
            <Quiet onClick={() => begin("patches-by-angle", {})}>Name by angle</Quiet>
          </Flex>
        </Box>
      ) : (
        <Text color="teal" fontSize="12px" mt="1">
          ✓ every outer face has a name
        </Text>
      )}
    </Box>
  );
}
