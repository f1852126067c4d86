import { Box, Flex, Input, Text } from "@chakra-ui/react";
import { type ReactNode, useState } from "react";
import { useComing, useLogIn } from "../api/coming";
import { Do, Wrong } from "../theme/parts";
import { Head } from "./Head";

/** Shows what is behind the door to those who are in, and to others the door. */
export function Door({ children }: { children: ReactNode }) {
  const coming = useComing();
  if (coming.isPending) return null;
  if (coming.data?.needed && !coming.data.user) return <LogIn />;
  return children;
}

function LogIn() {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const logIn = useLogIn();
  return (
    <Flex height="100%" direction="column">
      <Head />
      <Box
        as="form"
        aria-label="Log in"
        w="340px"
        mx="auto"
        mt="16"
        bg="card"
        border="1px solid"
        borderColor="rule"
        borderRadius="lg"
        p="5"
        onSubmit={(event) => {
          event.preventDefault();
          if (name.trim() && password) logIn.mutate({ name: name.trim(), password });
        }}
      >
        {logIn.error && (
          <Box mb="3">
            <Wrong>{logIn.error.message}</Wrong>
          </Box>
        )}
        <Field label="Name" value={name} change={setName} autoComplete="username" autoFocus />
        <Field
          label="Password"
          value={password}
          change={setPassword}
          autoComplete="current-password"
          type="password"
        />
        <Do type="submit" width="full" disabled={!name.trim() || !password || logIn.isPending}>
          {logIn.isPending ? "Looking …" : "Log in"}
        </Do>
        <Text fontSize="12px" color="muted" mt="3">
          Names and passwords are given by whoever looks after this server.
        </Text>
      </Box>
    </Flex>
  );
}

interface FieldProps {
  label: string;
  value: string;
  change: (value: string) => void;
  autoComplete: string;
  type?: string;
  autoFocus?: boolean;
}

const Field = ({ label, value, change, ...rest }: FieldProps) => (
  <Box as="label" display="block" mb="3">
    <Text mb="1">{label}</Text>
    <Input
      size="sm"
      maxLength={200}
      bg="paper"
      borderColor="rule"
      value={value}
      onChange={(event) => change(event.target.value)}
      {...rest}
    />
  </Box>
);
