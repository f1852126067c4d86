import { chakra, Flex } from "@chakra-ui/react";
import { useBoard } from "../../session/store";
import { GuideList } from "./GuideList";
import { MendPanel } from "./MendPanel";

const PANELS = ["Guides", "Mend"] as const;

/** What the Shape stage has to say: its guides, or what there is to mend. */
export function ShapePanel() {
  const panel = useBoard((board) => board.shapePanel);
  const set = useBoard((board) => board.set);
  return (
    <>
      <Flex role="tablist" gap="3" borderBottom="1px solid" borderColor="rule">
        {PANELS.map((name) => (
          <chakra.button
            key={name}
            type="button"
            role="tab"
            aria-selected={panel === name}
            pb="1"
            mb="-1px"
            fontSize="12.5px"
            fontWeight={panel === name ? "600" : "400"}
            borderBottom="2px solid"
            borderColor={panel === name ? "rust" : "transparent"}
            cursor="pointer"
            onClick={() => set({ shapePanel: name, freeEdges: [] })}
          >
            {name}
          </chakra.button>
        ))}
      </Flex>
      {panel === "Guides" ? <GuideList /> : <MendPanel />}
    </>
  );
}
