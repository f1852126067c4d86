import { Box, Dialog, Flex, Portal, Text } from "@chakra-ui/react";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { http, taken } from "../api/client";
import { Quiet, Wrong } from "../theme/parts";
import { browserWords } from "./browserWords";

const KEY = ["sessions"];
const when = (seconds: number) =>
  new Date(seconds * 1000).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });

/** Where somebody is logged in, and the end of all of it but here. */
export function Sessions({ close }: { close: () => void }) {
  const cache = useQueryClient();
  const sessions = useQuery({ queryKey: KEY, queryFn: () => taken(http.GET("/api/sessions")) });
  const end = useMutation({
    mutationFn: () => taken(http.DELETE("/api/sessions")),
    onSuccess: (left) => cache.setQueryData(KEY, left),
  });
  const listed = sessions.data?.sessions ?? [];
  const problem = sessions.error ?? end.error;
  return (
    <Dialog.Root open onOpenChange={(change) => !change.open && close()} size="md">
      <Portal>
        <Dialog.Backdrop />
        <Dialog.Positioner>
          <Dialog.Content bg="card" aria-label="Where you are logged in">
            <Dialog.Header>
              <Dialog.Title fontSize="15px">Where you are logged in</Dialog.Title>
            </Dialog.Header>
            <Dialog.Body>
              {problem && <Wrong>{problem.message}</Wrong>}
              {listed.map((one) => (
                <Flex
                  key={`${one.created}`}
                  justify="space-between"
                  gap="4"
                  py="2"
                  borderBottom="1px solid"
                  borderColor="rule"
                >
                  <Box minW="0">
                    <Text truncate title={one.about}>
                      {one.own ? "This browser" : browserWords(one.about)}
                    </Text>
                    <Text fontSize="12px" color="muted">
                      since {when(one.created)}
                    </Text>
                  </Box>
                  <Text fontSize="12px" color="muted" whiteSpace="nowrap">
                    {one.own ? "now" : `last seen ${when(one.seen)}`}
                  </Text>
                </Flex>
              ))}
              <Text fontSize="12px" color="muted" mt="3">
                A session that is not used ends after 14 days; another password ends all of them.
              </Text>
            </Dialog.Body>
            <Dialog.Footer>
              <Quiet
                size="sm"
                onClick={() => end.mutate()}
                disabled={listed.length < 2 || end.isPending}
              >
                End all others
              </Quiet>
              <Quiet size="sm" onClick={close}>
                Close
              </Quiet>
            </Dialog.Footer>
          </Dialog.Content>
        </Dialog.Positioner>
      </Portal>
    </Dialog.Root>
  );
}
