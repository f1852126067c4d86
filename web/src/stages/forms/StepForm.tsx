import { Box, Flex, NativeSelect, Text } from "@chakra-ui/react";
import { Fragment } from "react";
import { couldBeLate, isRun, removed } from "../../model/places";
import { plays } from "../../model/schema";
import { answer } from "../../session/answering";
import { useBoardData } from "../../session/context";
import { complete, placeOf } from "../../session/drafting";
import { underWay } from "../../session/run";
import { type Draft, useBoard } from "../../session/store";
import { Do, Quiet, Wrong } from "../../theme/parts";
import { RolesCard } from "../smooth/RolesCard";
import { YPlus } from "../spacing/YPlus";
import { EffectCard } from "./EffectCard";
import { FieldInput } from "./FieldInput";
import { ShapeEffect } from "./ShapeEffect";

/** The form of a step, made from the schema of its kind; then what keeping it would do. */
export function StepForm({ draft }: { draft: Draft }) {
  const { kinds, preview, keepDraft, cancel, busy, steps, keepSteps, ground } = useBoardData();
  const set = useBoard((board) => board.set);
  const { run, here } = useBoard((board) => board);
  const kind = kinds.get(draft.step.kind);
  if (!kind) return null;
  const done = complete(kind, draft.step);
  const runs = isRun(kind);
  const failed = preview?.failed ?? null;
  const at = placeOf(draft, steps, here, ground);
  const own = failed === at;
  const wrong =
    preview?.error &&
    (own ? preview.error : `Step ${(failed ?? 0) + 1} would fail: ${preview.error}`);
  return (
    <Box
      as="form"
      aria-label={kind.verb}
      onSubmit={(event) => {
        event.preventDefault();
        if (done && !busy) keepDraft();
      }}
    >
      <Text fontSize="15px" fontWeight="600">
        {draft.isNew ? kind.verb : `${kind.verb}, step ${at + 1}`}
      </Text>
      <Text color="muted" fontSize="12px" mb="2">
        {kind.about.split("\n")[0]}
      </Text>
      {draft.isNew && couldBeLate(draft.step, steps, here ?? steps.length, ground) && (
        <When late={draft.late ?? false} set={(late) => set({ draft: { ...draft, late } })} />
      )}
      {runs && <RolesCard />}
      {kind.fields
        .filter((field) => plays(field, draft.step, kind))
        .map((field) => (
          <Fragment key={field.name}>
            <FieldInput
              field={field}
              value={draft.step[field.name]}
              active={draft.field === field.name}
              change={(value) => answer(kind, draft.step.id, { [field.name]: value })}
              take={() => set({ draft: { ...draft, field: field.name } })}
            />
            {kind.kind === "wall-layer" && field.name === "first" && (
              <YPlus first={draft.step.first} />
            )}
          </Fragment>
        ))}
      {wrong && (
        <Box mt="3">
          <Wrong>{wrong}</Wrong>
        </Box>
      )}
      <Box position="sticky" bottom="0" bg="card" pb="1" mt="2">
        {!runs && kind.stage !== "Shape" && <EffectCard />}
        {kind.stage === "Shape" && <ShapeEffect />}
        <Box height="2" />
        <Do type="submit" disabled={!done || busy || (runs && underWay(run))}>
          {runs ? "Run and keep ↵" : draft.isNew ? "Keep step ↵" : "Keep change ↵"}
        </Do>
        <Flex gap="2" mt="2">
          <Quiet type="button" flex="1" onClick={cancel}>
            Back out (Esc)
          </Quiet>
          {!draft.isNew && (
            <Quiet
              type="button"
              color="madder"
              onClick={() => keepSteps((now) => removed(now, draft.step.id), cancel)}
            >
              Take out
            </Quiet>
          )}
        </Flex>
      </Box>
    </Box>
  );
}

/** Whether a step comes before the smoothing, which then runs again, or works on what that has made. */
const When = ({ late, set }: { late: boolean; set: (late: boolean) => void }) => (
  <NativeSelect.Root size="xs" mb="2">
    <NativeSelect.Field
      aria-label="Where it goes"
      height="26px"
      borderColor="rule"
      value={String(late)}
      onChange={(event) => set(event.target.value === "true")}
      bg="card"
    >
      <option value="false">before the smoothing, which runs again</option>
      <option value="true">after the smoothing, on its grid</option>
    </NativeSelect.Field>
    <NativeSelect.Indicator />
  </NativeSelect.Root>
);
