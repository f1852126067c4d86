import { short, whole } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { Fact, Heading } from "../../theme/parts";

/** Where the cells go. */
export function Budget() {
  const { model, preview } = useBoardData();
  const now = preview && !preview.error ? preview.model : model;
  const cellsOf = (cells: number[]) => cells.reduce((all, n) => all * n, 1);
  const filled = now.blocks.filter((block) => !block.hollow);
  const largest = [...filled].sort((a, b) => cellsOf(b.cells) - cellsOf(a.cells))[0];
  const growth = [...now.tiers].sort((a, b) => b.growth - a.growth)[0];
  return (
    <>
      <Heading>Cell budget</Heading>
      <Fact name={now.dim === 2 ? "in the plane" : "in space"} value={whole(now.cells)} />
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
