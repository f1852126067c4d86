import { Box, chakra, Flex, Input, Text } from "@chakra-ui/react";
import { useState } from "react";
import { useTable } from "../../api/queries";
import { percent, short, whole } from "../../model/numbers";
import { NOTHING } from "../../model/selection";
import type { Quality, TableRow } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Empty, Quiet } from "../../theme/parts";

export const PARTS = ["block", "region", "patch", "tier"] as const;
export type PartName = (typeof PARTS)[number];
type Column = "name" | "cells" | "worst" | "mean" | "beyond";
const COLUMNS: Column[] = ["name", "cells", "worst", "mean", "beyond"];

interface Props {
  by: PartName;
  metric: Quality["metrics"][number];
}

/** A metric by blocks, regions, patches or tiers: sorted by a click on a head, filtered, copied, and as CSV. */
export function MetricTable({ by, metric }: Props) {
  const { project, recipe, model } = useBoardData();
  const { here, share, set } = useBoard((board) => board);
  const [sorted, setSorted] = useState<{ by: Column; down: boolean } | null>(null);
  const [filter, setFilter] = useState("");
  const found = useTable(project, recipe.revision, {
    upto: here,
    metric: metric.key,
    smoothed: share > 0,
    by,
  });
  const rows = (found.data?.rows ?? []).filter((row) =>
    row.name.toLowerCase().includes(filter.trim().toLowerCase()),
  );
  const shown = sorted ? [...rows].sort(order(sorted.by, sorted.down)) : rows;
  const take = (row: TableRow) => {
    const block = model.blocks.find((one) => one.label === row.name);
    if (by === "block" && block) set({ selection: { kind: "block", ids: [block.id] } });
    else set({ selection: NOTHING });
  };
  return (
    <Flex direction="column" minH="0" flex="1">
      <Flex gap="2" mb="1" align="center">
        <Input
          size="2xs"
          width="110px"
          borderColor="rule"
          aria-label="Filter by name"
          placeholder="filter"
          value={filter}
          onChange={(event) => setFilter(event.target.value)}
        />
        <Box flex="1" />
        <Quiet size="2xs" onClick={() => void navigator.clipboard?.writeText(asText(shown, "\t"))}>
          Copy
        </Quiet>
        <Quiet size="2xs" asChild>
          <a
            download={`${metric.key}-by-${by}.csv`}
            href={`data:text/csv;charset=utf-8,${encodeURIComponent(asText(shown, ","))}`}
          >
            CSV
          </a>
        </Quiet>
      </Flex>
      <Box overflowY="auto" flex="1" minH="0">
        {found.error && <Empty>{found.error.message}</Empty>}
        {found.data && shown.length === 0 && (
          <Empty>{rows.length ? "" : `Nothing to tell by ${by} here.`}</Empty>
        )}
        {shown.length > 0 && (
          <chakra.table width="100%" fontSize="12px" aria-label={`${metric.label} by ${by}`}>
            <thead>
              <tr>
                {COLUMNS.map((column) => (
                  <chakra.th
                    key={column}
                    textAlign={column === "name" ? "left" : "right"}
                    fontWeight="500"
                    color="muted"
                    fontSize="11px"
                    cursor="pointer"
                    aria-sort={
                      sorted?.by !== column ? "none" : sorted.down ? "descending" : "ascending"
                    }
                    onClick={() =>
                      setSorted({ by: column, down: sorted?.by === column && !sorted.down })
                    }
                  >
                    {column === "name" ? by : column === "beyond" ? "beyond limit" : column}
                    {sorted?.by === column ? (sorted.down ? " ↓" : " ↑") : ""}
                  </chakra.th>
                ))}
              </tr>
            </thead>
            <tbody>
              {shown.map((row) => (
                <chakra.tr
                  key={row.name}
                  cursor={by === "block" ? "pointer" : undefined}
                  _hover={{ bg: "ochreSoft" }}
                  onClick={() => take(row)}
                >
                  <td>{row.name}</td>
                  <Value>{whole(row.cells)}</Value>
                  <Value wrong={row.beyond > 0}>
                    {short(row.worst)}
                    {metric.unit}
                  </Value>
                  <Value>
                    {short(row.mean)}
                    {metric.unit}
                  </Value>
                  <Value wrong={row.beyond > 0}>{row.beyond ? percent(row.beyond) : "0"}</Value>
                </chakra.tr>
              ))}
            </tbody>
          </chakra.table>
        )}
      </Box>
    </Flex>
  );
}

const Value = ({ children, wrong }: { children: React.ReactNode; wrong?: boolean }) => (
  <chakra.td textAlign="right" fontFamily="mono" color={wrong ? "madder" : undefined}>
    <Text as="span">{children}</Text>
  </chakra.td>
);

const order = (by: Column, down: boolean) => (a: TableRow, b: TableRow) => {
  const way = by === "name" ? a.name.localeCompare(b.name, "en", { numeric: true }) : a[by] - b[by];
  return down ? -way : way;
};

const asText = (rows: TableRow[], between: string): string =>
  [COLUMNS, ...rows.map((row) => COLUMNS.map((column) => quoted(String(row[column]))))]
    .map((row) => row.join(between))
    .join("\n");

const quoted = (text: string): string =>
  /[",\t\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
