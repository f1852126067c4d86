import { Box, Flex, Input, Text, Textarea } from "@chakra-ui/react";
import { useMutation } from "@tanstack/react-query";
import { download } from "../../api/client";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Heading, Quiet, Wrong } from "../../theme/parts";

/** A page to hand to others: pictures, tables, the gate and the recipe, as HTML or PDF. */
export function Report() {
  const { project, recipe } = useBoardData();
  const { here, share, metric, words, set } = useBoard((board) => board);
  const make = useMutation({
    mutationFn: (kind: "html" | "pdf") => {
      const query = new URLSearchParams({ kind, ...words, metric, smoothed: String(share > 0) });
      if (here !== null) query.set("upto", String(here));
      const name = `${(words.title || recipe.name).replaceAll(/[^\p{L}\p{N}]+/gu, "-")}.${kind}`;
      return download(`/api/projects/${project}/report?${query}`, name);
    },
  });
  return (
    <Box mt="4" role="group" aria-label="Report">
      <Heading>Report</Heading>
      <Input
        size="xs"
        bg="card"
        borderColor="rule"
        aria-label="Title of the report"
        placeholder={recipe.name}
        maxLength={200}
        value={words.title}
        onChange={(event) => set({ words: { ...words, title: event.target.value } })}
      />
      <Textarea
        size="xs"
        mt="1"
        rows={2}
        bg="card"
        borderColor="rule"
        aria-label="Note of the report"
        placeholder="a note to begin with"
        maxLength={5000}
        value={words.note}
        onChange={(event) => set({ words: { ...words, note: event.target.value } })}
      />
      <Flex gap="2" mt="1" align="center">
        {(["html", "pdf"] as const).map((kind) => (
          <Quiet
            key={kind}
            disabled={make.isPending}
            loading={make.isPending && make.variables === kind}
            onClick={() => make.mutate(kind)}
          >
            {kind.toUpperCase()}
          </Quiet>
        ))}
        <Text fontSize="11px" color="muted">
          with the metric and the sections on view
        </Text>
      </Flex>
      {make.error && <Wrong>{make.error.message}</Wrong>}
    </Box>
  );
}
