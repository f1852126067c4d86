import { Box, chakra, Text } from "@chakra-ui/react";
import { whole } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { tone } from "../../theme/palette";
import { Quiet } from "../../theme/parts";

/** The patches with their types and faces, and what has no name yet. */
export function Patches() {
  const { model, steps, edit, begin } = useBoardData();
  return (
    <Box>
      {model.patches.map((patch, n) => {
        const step = steps.find((s) => s.kind === "patch" && s.name === patch.name);
        return (
          <chakra.button
            key={patch.name}
            type="button"
            display="flex"
            width="100%"
            gap="2"
            alignItems="center"
            py="1"
            px="1"
            cursor="pointer"
            borderRadius="4px"
            _hover={{ bg: "ochreSoft" }}
            onClick={() => step && edit(step.id)}
          >
            <Box width="10px" height="10px" borderRadius="2px" bg={tone(n)} flexShrink="0" />
            <Text fontFamily="mono" fontSize="12px" flex="1" textAlign="left" truncate>
              {patch.name}
            </Text>
            <Text fontSize="12px" color="muted">
              {patch.type}
            </Text>
            <Text fontFamily="mono" fontSize="11px" width="52px" textAlign="right">
              {whole(patch.faces)}
            </Text>
          </chakra.button>
        );
      })}
      {model.unnamed_faces > 0 ? (
        <Box bg="madderSoft" color="madder" px="3" py="2" mt="2" borderRadius="md">
          <Text fontSize="12px">
            {whole(model.unnamed_faces)} of {whole(model.faces)} outer faces have no name; they are
            drawn dark red in the view.
          </Text>
          <Quiet mt="1" onClick={() => begin("patch", { faces: { rest: true } })}>
            Name all the rest
          </Quiet>
        </Box>
      ) : (
        <Text color="teal" fontSize="12px" mt="1">
          ✓ every outer face has a name
        </Text>
      )}
    </Box>
  );
}
