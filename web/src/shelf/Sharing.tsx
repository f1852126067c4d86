import { Box, Dialog, Flex, Input, NativeSelect, Portal, Text } from "@chakra-ui/react";
import { useMutation, useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { http, taken } from "../api/client";
import type { Project, SharedAs, SharingState } from "../model/types";
import { Do, Empty, Quiet, Wrong } from "../theme/parts";

const EVERYONE = "";
const MAY: Record<SharedAs, string> = {
  see: "may look and duplicate",
  edit: "may change the recipe",
  manage: "may share and delete too",
};

/** Whom a project belongs to, and who else may do what with it. */
export function Sharing({ project, close }: { project: Project; close: () => void }) {
  const params = { path: { project: project.id } };
  const found = useQuery({
    queryKey: ["sharing", project.id],
    queryFn: () => taken(http.GET("/api/projects/{project}/sharing", { params })),
    gcTime: 0,
  });
  const keep = useMutation({
    mutationFn: ({ owner, roles }: SharingState) =>
      taken(http.PUT("/api/projects/{project}/sharing", { params, body: { owner, roles } })),
    onSuccess: close,
  });
  const problem = keep.error ?? found.error;
  return (
    <Dialog.Root open onOpenChange={({ open }) => !open && close()} placement="center">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="card" maxW="520px" borderRadius="lg" p="5">
            <Dialog.Title fontSize="15px" truncate>
              Who may work on {project.name}
            </Dialog.Title>
            {problem && (
              <Box mt="3">
                <Wrong>{problem.message}</Wrong>
              </Box>
            )}
            {found.data && (
              <Shares
                start={found.data}
                may={project.role === "manage"}
                busy={keep.isPending}
                keep={keep.mutate}
                close={close}
              />
            )}
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}

interface SharesProps {
  start: SharingState;
  /** Whether this user may change it. */
  may: boolean;
  busy: boolean;
  keep: (state: SharingState) => void;
  close: () => void;
}

function Shares({ start, may, busy, keep, close }: SharesProps) {
  const [owner, setOwner] = useState(start.owner);
  const [roles, setRoles] = useState(start.roles);
  const given = Object.entries(roles).filter(([user]) => user !== owner);
  const left = start.users.filter((user) => user !== owner && !(user in roles));
  const submit = (event: FormEvent) => {
    event.preventDefault();
    keep({ ...start, owner: owner.trim(), roles: Object.fromEntries(given) });
  };
  return (
    <Box as="form" aria-label="Sharing" onSubmit={submit} mt="3">
      <Flex align="center" gap="3" mb="3">
        <Text flex="1">Belongs to</Text>
        <Box w="260px">
          {start.users.length ? (
            <Choose
              label="Owner"
              value={owner}
              change={setOwner}
              disabled={!may}
              options={[[EVERYONE, "nobody: everyone manages it"], ...start.users.map(named)]}
            />
          ) : (
            <Name label="Owner" value={owner} change={setOwner} disabled={!may} />
          )}
        </Box>
      </Flex>
      {owner !== EVERYONE && given.length === 0 && (
        <Empty>Nobody else sees it. Add who should.</Empty>
      )}
      {owner !== EVERYONE &&
        given.map(([user, role]) => (
          <Flex key={user} align="center" gap="2" py="1" borderTop="1px solid" borderColor="rule">
            <Text flex="1" minW="0" truncate>
              {user || "Everyone who is in"}
            </Text>
            <Box w="220px">
              <Choose
                label={`What ${user || "everyone"} may do`}
                value={role}
                change={(to) => setRoles({ ...roles, [user]: to as SharedAs })}
                disabled={!may}
                options={Object.entries(MAY)}
              />
            </Box>
            <Quiet
              type="button"
              aria-label={`Share no more with ${user || "everyone"}`}
              disabled={!may}
              onClick={() => {
                const { [user]: _, ...others } = roles;
                setRoles(others);
              }}
            >
              ×
            </Quiet>
          </Flex>
        ))}
      {may && owner !== EVERYONE && (
        <Add
          users={start.users.length ? left : null}
          everyone={!(EVERYONE in roles)}
          add={(user) => setRoles({ ...roles, [user]: "see" })}
        />
      )}
      <Flex gap="2" mt="4">
        {may && (
          <Do type="submit" width="auto" flex="1" disabled={busy}>
            Keep
          </Do>
        )}
        <Quiet type="button" size="sm" flex="1" onClick={close}>
          {may ? "Back out (Esc)" : "Close (Esc)"}
        </Quiet>
      </Flex>
    </Box>
  );
}

interface AddProps {
  /** The users that are left to be added; null where their names are not known here. */
  users: string[] | null;
  everyone: boolean;
  add: (user: string) => void;
}

/** Adds somebody to those who may look. */
function Add({ users, everyone, add }: AddProps) {
  const [name, setName] = useState("");
  const all = everyone ? (
    <Quiet type="button" onClick={() => add(EVERYONE)}>
      Add everyone
    </Quiet>
  ) : null;
  if (users) {
    return (
      <Flex gap="2" mt="2" align="center">
        {users.length > 0 && (
          <Box w="220px">
            <Choose
              label="Add a user"
              value=""
              change={(user) => user && add(user)}
              options={[["", "Add a user …"], ...users.map(named)]}
            />
          </Box>
        )}
        {all}
      </Flex>
    );
  }
  return (
    <Flex gap="2" mt="2" align="center">
      <Box w="220px">
        <Name label="Name of a user" value={name} change={setName} />
      </Box>
      <Quiet
        type="button"
        disabled={!name.trim()}
        onClick={() => {
          add(name.trim());
          setName("");
        }}
      >
        Add
      </Quiet>
      {all}
    </Flex>
  );
}

const named = (user: string): [string, string] => [user, user];

interface FieldProps {
  label: string;
  value: string;
  change: (value: string) => void;
  disabled?: boolean;
}

const Name = ({ label, value, change, disabled }: FieldProps) => (
  <Input
    size="xs"
    aria-label={label}
    placeholder="name"
    maxLength={64}
    borderColor="rule"
    value={value}
    disabled={disabled}
    onChange={(event) => change(event.target.value)}
  />
);

const Choose = ({
  label,
  value,
  change,
  disabled,
  options,
}: FieldProps & { options: [string, string][] }) => (
  <NativeSelect.Root size="xs" disabled={disabled}>
    <NativeSelect.Field
      aria-label={label}
      bg="card"
      borderColor="rule"
      value={value}
      onChange={(event) => change(event.target.value)}
    >
      {options.map(([key, text]) => (
        <option key={key} value={key}>
          {text}
        </option>
      ))}
    </NativeSelect.Field>
    <NativeSelect.Indicator />
  </NativeSelect.Root>
);
