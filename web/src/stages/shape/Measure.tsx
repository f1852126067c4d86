import { Box, Flex, Input, NativeSelect, Text } from "@chakra-ui/react";
import { useState } from "react";
import { http, type Problem, taken } from "../../api/client";
import { asText, valuesOf, valueWithUnit, WISHES, type Wish } from "../../model/measuring";
import type { Target } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Do, Empty, Heading, Mono, Quiet, Wrong } from "../../theme/parts";

/** Reads typed targets: places and guides, one after the other, parted by semicolons. */
function targetsOf(text: string): Target[] {
  return text
    .split(/;|\n/)
    .map((part) => part.trim())
    .filter(Boolean)
    .map((part) => {
      const on = /^([A-Za-z][\w.-]*)\s*(?:@\s*(.+))?$/.exec(part);
      const where = on?.[2] ?? (on ? "" : part);
      const place = !on || where.includes(",");
      return {
        guide: on?.[1] ?? null,
        at: place ? where.split(/\s*,\s*/) : null,
        fraction: place || !where ? null : Number(where),
      };
    });
}

/** Measures what is in hand or typed; the results stay on view until they are dismissed. */
export function Measure() {
  const { project, model } = useBoardData();
  const here = useBoard((board) => board.here);
  const selection = useBoard((board) => board.selection);
  const measured = useBoard((board) => board.measured);
  const set = useBoard((board) => board.set);
  const [wish, setWish] = useState<Wish>("distance");
  const text = useBoard((board) => board.measureOf);
  const [problem, setProblem] = useState("");
  const inHand = selection.kind === "guide" ? selection.ids.join("; ") : "";
  const of = text || inHand;
  const measure = async () => {
    setProblem("");
    try {
      const result = await taken(
        http.POST("/api/projects/{project}/measurements", {
          params: { path: { project } },
          body: { wish, targets: targetsOf(of), upto: here },
        }),
      );
      const id = Math.max(0, ...measured.map((m) => m.id)) + 1;
      set({ measured: [{ id, wish, of, unit: model.unit, result }, ...measured] });
    } catch (error) {
      setProblem((error as Problem).message);
    }
  };
  return (
    <>
      <Box
        as="form"
        aria-label="Measure"
        minW="0"
        onSubmit={(event: React.FormEvent) => {
          event.preventDefault();
          void measure();
        }}
      >
        <Heading>Measure</Heading>
        <Flex gap="1.5" align="center">
          <NativeSelect.Root size="xs" width="96px" flexShrink="0">
            <NativeSelect.Field
              aria-label="What to measure"
              bg="card"
              borderColor="rule"
              value={wish}
              onChange={(event) => setWish(event.target.value as Wish)}
            >
              {WISHES.map((one) => (
                <option key={one.wish} value={one.wish}>
                  {one.wish}
                </option>
              ))}
            </NativeSelect.Field>
            <NativeSelect.Indicator />
          </NativeSelect.Root>
          <Input
            size="xs"
            height="26px"
            fontFamily="mono"
            bg="card"
            borderColor="rule"
            aria-label="Of what"
            placeholder={inHand || "0, 0, 0; cone.east"}
            value={text}
            onChange={(event) => set({ measureOf: event.target.value })}
            onKeyDown={(event) => event.stopPropagation()}
          />
        </Flex>
        <Text color="muted" fontSize="11px" my="1">
          needs {WISHES.find((one) => one.wish === wish)?.needs}. Click guides in the view (Shift
          adds), Alt-click places on them, or type places and names, parted by “;”, a place on a
          curve as “name @ 0.5”.
        </Text>
        <Do type="submit" width="auto" size="xs" px="4" disabled={!of}>
          Measure
        </Do>
        {problem && (
          <Box mt="1.5">
            <Wrong>{problem}</Wrong>
          </Box>
        )}
      </Box>
      <Box minW="0" gridColumn="span 2" overflowY="auto" aria-label="Measured" role="region">
        <Heading
          right={
            measured.length > 1 ? (
              <Quiet size="2xs" onClick={() => set({ measured: [] })}>
                dismiss all
              </Quiet>
            ) : undefined
          }
        >
          Measured
        </Heading>
        {!measured.length && (
          <Empty>
            Nothing yet. Results stay here and in the view until they are dismissed, and can be
            copied.
          </Empty>
        )}
        {measured.map((one) => (
          <Flex
            key={one.id}
            gap="2"
            align="baseline"
            borderBottom="1px dotted"
            borderColor="rule"
            py="1"
          >
            <Text fontSize="12px" width="170px" flexShrink="0" truncate title={one.of}>
              {one.wish} of {one.of}
            </Text>
            <Flex flex="1" wrap="wrap" columnGap="4" fontSize="12px" minW="0">
              {valuesOf(one).map((v) => (
                <Text key={v.name}>
                  <Text as="span" color="muted">
                    {v.name}
                  </Text>{" "}
                  <Mono>{valueWithUnit(v.value, v.power, one.unit)}</Mono>
                </Text>
              ))}
            </Flex>
            <Quiet size="2xs" onClick={() => void navigator.clipboard?.writeText(asText(one))}>
              copy
            </Quiet>
            <Quiet
              size="2xs"
              aria-label={`Dismiss ${one.wish} of ${one.of}`}
              onClick={() => set({ measured: measured.filter((other) => other.id !== one.id) })}
            >
              ×
            </Quiet>
          </Flex>
        ))}
      </Box>
    </>
  );
}
