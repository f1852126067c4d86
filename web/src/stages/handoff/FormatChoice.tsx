import { Box, Flex, NativeSelect, Text } from "@chakra-ui/react";
import type { FileFormat } from "../../model/types";
import { Tick } from "./Tick";

export type Choices = Record<string, Record<string, string>>;

/** The formats to write, each with what can be chosen of it. */
export function FormatChoice({
  offered,
  chosen,
  choices,
  plane,
  change,
}: {
  offered: FileFormat[];
  chosen: string[];
  choices: Choices;
  plane: boolean;
  change: (chosen: string[], choices: Choices) => void;
}) {
  return (
    <Box role="group" aria-label="Formats" mb="2">
      {offered.map(({ key, label, about, options, plane: takesPlane }) => {
        const on = chosen.includes(key);
        const fits = !plane || takesPlane;
        return (
          <Box key={key} py="0.5" title={fits ? about : `${label} takes grids of space only`}>
            <Tick
              label={label}
              on={on && fits}
              disabled={!fits}
              set={(to) =>
                change(to ? [...chosen, key] : chosen.filter((one) => one !== key), choices)
              }
            />
            {on &&
              fits &&
              options.map((option) => (
                <Flex key={option.key} align="center" gap="2" pl="6" mt="1">
                  <Text flex="1" fontSize="12px" color="muted">
                    {option.title}
                  </Text>
                  <NativeSelect.Root size="xs" width="170px">
                    <NativeSelect.Field
                      aria-label={`${label}: ${option.title}`}
                      bg="card"
                      borderColor="rule"
                      value={choices[key]?.[option.key] ?? option.choices[0]}
                      onChange={(event) =>
                        change(chosen, {
                          ...choices,
                          [key]: { ...choices[key], [option.key]: event.target.value },
                        })
                      }
                    >
                      {option.choices.map((choice) => (
                        <option key={choice}>{choice}</option>
                      ))}
                    </NativeSelect.Field>
                    <NativeSelect.Indicator />
                  </NativeSelect.Root>
                </Flex>
              ))}
          </Box>
        );
      })}
    </Box>
  );
}
