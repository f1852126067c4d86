import { useMemo } from "react";
import { edgeId } from "../../model/selection";
import type { Guide } from "../../model/types";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { usePalette } from "../../theme/mode";
import { piecesOf, Segments } from "./segments";

/** The ghost of the draft: guides and edges that are new, or run elsewhere, once it is kept. */
export function Ghost({ origin }: { origin: number[] }) {
  const { model, preview } = useBoardData();
  const draft = useBoard((board) => board.draft);
  const palette = usePalette();
  const points = useMemo(() => {
    if (!preview || preview.error || !draft) return [];
    const before = new Map(
      model.edges.map((e) => [edgeId(e.id), `${e.state} ${JSON.stringify(e.path)}`]),
    );
    const guides = new Map(model.guides.map((g) => [g.name, JSON.stringify(g.xyz)]));
    const edges = preview.model.edges.filter(
      (e) => before.get(edgeId(e.id)) !== `${e.state} ${JSON.stringify(e.path)}`,
    );
    const curves = preview.model.guides.filter((g) => guides.get(g.name) !== JSON.stringify(g.xyz));
    return piecesOf([...edges.map((e) => e.path), ...curves.map(path)], origin);
  }, [preview, model.edges, model.guides, draft, origin]);
  return <Segments points={points} color={palette.ochre} width={2.6} order={15} />;
}

/** A point is drawn as a short line, so that it is seen. */
const path = (guide: Guide): number[][] => {
  if (guide.dim !== 0) return guide.xyz;
  const [x = 0, y = 0, z = 0] = guide.low;
  const size = 0.01 * (Math.abs(x) + Math.abs(y) + Math.abs(z) || 1);
  return [
    [x - size, y - size, z],
    [x + size, y + size, z],
  ];
};
