import { Box, Flex, Spinner, Text } from "@chakra-ui/react";
import { useEffect } from "react";
import { useMending } from "../../api/queries";
import { lengthText, METRES, short } from "../../model/numbers";
import { useBoardData } from "../../session/context";
import { useBoard } from "../../session/store";
import { Do, Empty, Fact, Quiet, Wrong } from "../../theme/parts";

const SHOWN = 40;

/** Gaps between surfaces: free boundaries, the tolerance that closes them, tiny edges, doubled surfaces. */
export function MendPanel() {
  const { project, recipe, model, begin } = useBoardData();
  const here = useBoard((board) => board.here);
  const set = useBoard((board) => board.set);
  const { data, error, isFetching } = useMending(project, recipe.revision, here);
  useEffect(() => {
    if (data) set({ freeEdges: data.free.map((edge) => edge.xyz) });
    return () => set({ freeEdges: [] });
  }, [data, set]);
  if (error) return <Wrong>{error.message}</Wrong>;
  if (!data) return <Spinner size="sm" color="ochre" />;
  if (!data.surfaces)
    return <Empty>There are no surfaces yet. Bring in CAD or triangles, or draw some.</Empty>;
  const cracks = data.free.filter((edge) => edge.crack);
  const open = data.free.filter((edge) => !edge.crack);
  const gap = Math.max(...cracks.map((edge) => edge.gap), 0);
  const told = (value: number) => lengthText(value, model.unit);
  const gapText = (value: number, length: number) =>
    touching({ gap: value, length }) ? "touching" : `${told(value)} apart`;
  // The file's own name before the dot is the same for all.
  const own = (name: string) => name.replace(/^[^.]*\./, "");
  const metric = ["m", "cm", "mm"].includes(model.unit);
  const unit = metric ? "mm" : model.unit;
  const scale = (METRES[model.unit] ?? 1) / (METRES[unit] ?? 1);
  // Rounded up, so that what is proposed still closes all.
  const tolerance = `${roundedUp(data.tolerance * scale)} ${unit}`;
  const pairs = onceEach(cracks);
  return (
    <Box aria-busy={isFetching}>
      <Fact name="surfaces" value={data.surfaces} />
      <Fact name="free edges" value={data.free.length} />
      {cracks.length > 0 && <Fact name="of these, cracks" value={cracks.length} />}
      {gap > 0 && <Fact name="largest gap" value={told(gap)} />}
      {data.volume !== null && (
        <Fact name="closed, holding" value={`${short(data.volume, 6)} ${model.unit}³`} />
      )}
      {data.free.length === 0 && (
        <Text color="teal" fontWeight="600" fontSize="12px" role="status">
          All edges meet.
        </Text>
      )}
      {cracks.length > 0 && (
        <Do mt="2" onClick={() => begin("sew", { tolerance })}>
          Sew within {tolerance}
        </Do>
      )}
      {data.tiny.length > 0 && (
        <Note>
          {data.tiny.length} tiny edges, from {told(Number(data.tiny[0]?.[1] ?? 0))}, on{" "}
          {[...new Set(data.tiny.map(([name]) => name))].slice(0, 4).join(", ")}
        </Note>
      )}
      {data.doubled.map(([first, second]) => (
        <Flex key={`${first} ${second}`} align="center" gap="2" mt="1">
          <Text fontSize="12px" flex="1">
            {second} lies on {first}
          </Text>
          <Quiet onClick={() => begin("leave-out", { guides: [second] })}>Leave out</Quiet>
        </Flex>
      ))}
      {[
        { title: "Cracks", edges: pairs },
        { title: "Open boundaries", edges: open },
      ].map(
        ({ title, edges }) =>
          edges.length > 0 && (
            <Box key={title} mt="3">
              <Text fontWeight="600" fontSize="12px">
                {title}
              </Text>
              {edges.slice(0, SHOWN).map((edge, n) => (
                <Box
                  // biome-ignore lint/suspicious/noArrayIndexKey: free edges have no name of their own
                  key={n}
                  as="button"
                  display="block"
                  width="100%"
                  textAlign="left"
                  cursor="pointer"
                  fontSize="11.5px"
                  title={`${edge.surface}, ${told(edge.length)} long`}
                  _hover={{ bg: "ochreSoft" }}
                  onClick={() => set({ target: look(edge.xyz) })}
                >
                  <Flex justify="space-between" gap="2">
                    <Text as="span" truncate>
                      {own(edge.surface)}
                      {edge.crack && edge.beside ? ` | ${own(edge.beside)}` : ""}
                    </Text>
                    <Text as="span" fontFamily="mono" color="muted" flexShrink="0">
                      {edge.crack ? gapText(edge.gap, edge.length) : told(edge.length)}
                    </Text>
                  </Flex>
                </Box>
              ))}
              {edges.length > SHOWN && <Empty>and {edges.length - SHOWN} more</Empty>}
            </Box>
          ),
      )}
    </Box>
  );
}

const Note = ({ children }: { children: React.ReactNode }) => (
  <Text mt="2" fontSize="12px" color="madder">
    {children}
  </Text>
);

/** Whether edges lie on each other, and only are not one yet. */
const touching = (edge: { gap: number; length: number }) => edge.gap < 1e-9 * edge.length;

/** Cracks by their gap, the widest first; the two edges of one are told once. */
function onceEach<T extends { surface: string; beside: string; gap: number; length: number }>(
  edges: T[],
): T[] {
  const seen = new Set<string>();
  return [...edges]
    .sort((a, b) => b.gap - a.gap)
    .filter((edge) => {
      const key = `${[edge.surface, edge.beside].sort().join("|")} ${touching(edge) || edge.gap.toPrecision(3)}`;
      if (edge.beside && seen.has(key)) return false;
      seen.add(key);
      return true;
    });
}

/** Rounds up to two digits that matter. */
function roundedUp(value: number): string {
  if (value <= 0) return "0";
  const unit = 10 ** (Math.floor(Math.log10(value)) - 1);
  return String(Number((Math.ceil(value / unit - 1e-9) * unit).toPrecision(2)));
}

/** Where the camera goes to see an edge. */
function look(xyz: number[][]): { at: number[]; size: number; turn: number } {
  const low = [0, 1, 2].map((n) => Math.min(...xyz.map((p) => p[n] ?? 0)));
  const high = [0, 1, 2].map((n) => Math.max(...xyz.map((p) => p[n] ?? 0)));
  const at = low.map((v, n) => (v + (high[n] ?? 0)) / 2);
  const size = 2 * Math.hypot(...low.map((v, n) => (high[n] ?? 0) - v));
  return { at, size: size || 1, turn: 0 };
}
