import { useBoardData } from "../../board/context";
import { Fact } from "../../board/InHand";
import { short, whole } from "../../model/numbers";
import { Heading } from "../../theme/parts";

/** Where the cells go. */
export function Budget() {
  const { model, preview } = useBoardData();
  const now = preview && !preview.error ? preview.model : model;
  const cellsOf = (cells: number[]) => (cells[0] ?? 0) * (cells[1] ?? 0);
  const filled = now.blocks.filter((block) => !block.hollow);
  const plane = filled.reduce((sum, block) => sum + cellsOf(block.cells), 0);
  const largest = [...filled].sort((a, b) => cellsOf(b.cells) - cellsOf(a.cells))[0];
  const growth = [...now.tiers].sort((a, b) => b.growth - a.growth)[0];
  return (
    <>
      <Heading>Cell budget</Heading>
      <Fact name="in the plane" value={whole(plane)} />
      <Fact
        name={now.depth === null ? "not extruded yet" : `with ${whole(now.layers)} layers`}
        value={now.depth === null ? "–" : whole(now.cells)}
      />
      <Fact
        name="largest block"
        value={largest ? `${largest.label}, ${whole(cellsOf(largest.cells))}` : "–"}
      />
      <Fact
        name="worst growth"
        value={growth ? `${short(growth.growth)} on ${growth.label}` : "–"}
      />
      <Fact name="blocks" value={whole(filled.length)} />
    </>
  );
}
