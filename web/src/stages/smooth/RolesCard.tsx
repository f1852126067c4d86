import { Box, Flex, Text } from "@chakra-ui/react";
import { whole } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { usePalette } from "../../theme/mode";
import { Heading } from "../../theme/parts";
import { ofPlane, ROLES, type Roles, told } from "../../view/roles";

/** In words, what each side will do in the run that is being set up, with how it is drawn. */
export function RolesCard() {
  const { preview } = useBoardData();
  if (!preview?.roles.length) return null;
  return (
    <Box as="section" aria-label="What sides will do" mb="3">
      <Heading>What sides will do</Heading>
      {told(preview.roles).map((roles) => (
        <Row key={roles.role} roles={roles} />
      ))}
    </Box>
  );
}

/** More guides than this are counted. */
const MOST = 3;

function Row({ roles }: { roles: Roles }) {
  const palette = usePalette();
  const { words, on, colour, width, dashed } = ROLES[roles.role];
  const count = roles.sides.length;
  const noun = ofPlane(roles) ? "edge" : "side";
  const guides =
    roles.guides.length > MOST ? `${roles.guides.length} guides` : roles.guides.join(", ");
  return (
    <Flex align="center" gap="2" py="0.5" fontSize="12.5px">
      <Box flexShrink="0">
        <svg width="26" height="10" aria-hidden="true">
          <line
            x1="0"
            x2="26"
            y1="5"
            y2="5"
            stroke={palette[colour]}
            strokeWidth={width}
            strokeDasharray={dashed ? "6 4" : undefined}
          />
        </svg>
      </Box>
      <Text>
        {whole(count)} {count === 1 ? `${noun} ${words[0]}` : `${noun}s ${words[1]}`}
        {on && guides ? ` ${on} ${guides}` : ""}
      </Text>
    </Flex>
  );
}
