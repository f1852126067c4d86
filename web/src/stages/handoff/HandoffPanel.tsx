import { useState } from "react";
import { useHandoffs } from "../../api/queries";
import { useBoardData } from "../../session/context";
import { Empty } from "../../theme/parts";
import { Handoffs } from "./Handoffs";
import { Patches } from "./Patches";
import { WriteFiles } from "./WriteFiles";

/** The patches, what is still unnamed, the hand-off itself, and those that were made. */
export function HandoffPanel() {
  const { project, model } = useBoardData();
  const [made, setMade] = useState<string | null>(null);
  const [against, setAgainst] = useState<string | null>(null);
  const { data } = useHandoffs(project, made, against);
  if (!model.blocks.length)
    return <Empty>There is nothing to hand off yet: make blocks first.</Empty>;
  return (
    <>
      <Patches />
      {data && <WriteFiles key={project} last={data.handoffs[0]?.asked ?? null} made={setMade} />}
      {data && <Handoffs made={data.handoffs} chosen={against} choose={setAgainst} />}
    </>
  );
}
