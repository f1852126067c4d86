import { Box, Flex, Input, Text } from "@chakra-ui/react";
import { useState } from "react";
import { whole } from "../model/numbers";
import type { Project } from "../model/types";
import { Quiet } from "../theme/parts";

interface RowProps {
  project: Project;
  /** Whether projects belong to users here. */
  owned: boolean;
  share: () => void;
  open: () => void;
  rename: (name: string) => void;
  duplicate: () => void;
  remove: () => void;
}

/** A project on the shelf, and what this user may do with it. */
export function Row({ project, owned, open, rename, duplicate, remove, share }: RowProps) {
  const [name, setName] = useState<string | null>(null);
  const manages = project.role === "manage";
  const keep = () => {
    if (name?.trim() && name !== project.name) rename(name);
    setName(null);
  };
  return (
    <Flex
      align="center"
      gap="3"
      bg="card"
      border="1px solid"
      borderColor="rule"
      borderRadius="lg"
      px="4"
      py="3"
      mb="2"
      _hover={{ borderColor: "ochre" }}
    >
      <Box flex="1" minW="0">
        {name === null ? (
          <Text
            as="button"
            fontSize="15px"
            fontWeight="600"
            textAlign="left"
            cursor="pointer"
            onClick={open}
            truncate
            maxW="100%"
          >
            {project.name}
          </Text>
        ) : (
          <Input
            size="xs"
            autoFocus
            aria-label="New name"
            value={name}
            maxLength={120}
            onChange={(event) => setName(event.target.value)}
            onBlur={keep}
            onKeyDown={(event) => {
              if (event.key === "Enter") keep();
              if (event.key === "Escape") setName(null);
            }}
          />
        )}
        <Text color="muted" fontSize="12px">
          {owned && `${ownership(project)} · `}
          {project.steps} steps · {facts(project)} · changed{" "}
          {new Date(project.changed * 1000).toLocaleString("en-GB", {
            dateStyle: "medium",
            timeStyle: "short",
          })}
        </Text>
      </Box>
      {owned && <Quiet onClick={share}>{manages ? "Share" : "Shared"}</Quiet>}
      {manages && <Quiet onClick={() => setName(project.name)}>Rename</Quiet>}
      <Quiet onClick={duplicate}>Duplicate</Quiet>
      {manages && <Quiet onClick={remove}>Delete</Quiet>}
      <Quiet onClick={open} bg="ochreSoft">
        Open
      </Quiet>
    </Flex>
  );
}

/** Whose a project is, and what one may do with it where that is not all. */
function ownership({ owner, role }: Project): string {
  const whose = owner ? `of ${owner}` : "of everyone";
  return role === "manage"
    ? whose
    : `${whose}, ${role === "edit" ? "shared for changes" : "to look at"}`;
}

function facts(project: Project): string {
  const found = project.facts as {
    cells: number;
    blocks: number;
    folded: number;
    passed: boolean;
  } | null;
  if (!found) return "no grid measured yet";
  const gate = found.folded
    ? `${whole(found.folded)} folded`
    : found.passed
      ? "gate passed"
      : "below gate";
  return `${whole(found.cells)} cells in ${found.blocks} blocks · ${gate}`;
}
