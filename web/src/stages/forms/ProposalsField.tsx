import { Box, Checkbox, Text } from "@chakra-ui/react";
import { lengthText } from "../../model/numbers";
import type { Field } from "../../model/schema";
import { useBoardData } from "../../session/context";
import { placeOf } from "../../session/drafting";
import { useBoard } from "../../session/store";
import { Empty } from "../../theme/parts";

interface Props {
  field: Field;
  value: unknown;
  change: (value: unknown) => void;
}

interface Proposal {
  key: string;
  guide: string;
  far: number;
  why: string;
}

/** What a step proposes, each to take or to leave; and what found no match. */
export function ProposalsField({ value, change }: Props) {
  const { model, preview, steps, ground } = useBoardData();
  const { draft, here, set } = useBoard((board) => board);
  const at = draft ? placeOf(draft, steps, here, ground) : -1;
  const report = preview?.model.steps[at]?.report ?? [];
  const left = (value as string[] | undefined) ?? [];
  const rows = report.map((line) => line.split("\t"));
  const unmatched = rows.filter((row) => row[0] === "unmatched").map((row) => row[1] ?? "");
  const found: Proposal[] = rows
    .filter((row) => row[0] !== "unmatched")
    .map(([key = "", guide = "", far = "0", why = ""]) => ({ key, guide, far: Number(far), why }));
  if (!report.length) return <Empty>Give a distance to see what is near.</Empty>;
  const labels = Object.fromEntries(model.corners.map((c) => [c.id, c.label]));
  const show = (key: string) => {
    const ids = key.split(" ")[1]?.split("|") ?? [];
    const kind = ids.length === 1 ? "corner" : ids.length === 2 ? "edge" : "side";
    set({ selection: { kind, ids: kind === "corner" ? ids : [ids.join("|")] } });
  };
  return (
    <Box maxH="190px" overflowY="auto" fontSize="12px">
      {found.map(({ key, guide, far, why }) => {
        const [does = "", ids = ""] = key.split(" ");
        const named = ids
          .split("|")
          .map((id) => labels[id] ?? id)
          .join("–");
        return (
          <Checkbox.Root
            key={key}
            size="xs"
            display="flex"
            my="0.5"
            checked={!left.includes(key)}
            onMouseEnter={() => show(key)}
            onCheckedChange={({ checked }) =>
              change(checked ? left.filter((one) => one !== key) : [...left, key])
            }
          >
            <Checkbox.HiddenInput />
            <Checkbox.Control />
            <Checkbox.Label fontSize="12px" fontWeight="400">
              {does} {named} on {guide}, {lengthText(far, model.unit)} away
              {why && why !== "left out" && (
                <Text as="span" color="madder" display="block">
                  {why}
                </Text>
              )}
            </Checkbox.Label>
          </Checkbox.Root>
        );
      })}
      {unmatched.length > 0 && (
        <Text color="muted" mt="1">
          without a match: {unmatched.slice(0, 12).join(", ")}
          {unmatched.length > 12 ? ` and ${unmatched.length - 12} more` : ""}
        </Text>
      )}
    </Box>
  );
}
