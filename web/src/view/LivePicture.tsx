import { useQuery } from "@tanstack/react-query";
import { binary } from "../api/client";
import { partOf } from "../api/queries";
import { type Picture, unpacked } from "../model/picture";
import { useBoardData } from "../session/context";
import { useBoard } from "../session/store";
import type { Extent } from "./extent";
import { GridMesh } from "./layers/GridMesh";

interface Props {
  job: string;
  extent: Extent;
  fallback: Picture | null;
}

/** The grid of a run that is under way, drawn anew whenever there is a newer picture. */
export function LivePicture({ job, extent, fallback }: Props) {
  const told = useBoardData().job?.progress.picture;
  const part = useBoard((board) => board.part);
  const picture = useQuery({
    queryKey: ["live", job, told, part],
    queryFn: async ({ signal }) => {
      const query = new URLSearchParams();
      for (const [name, value] of Object.entries(partOf(part))) query.set(name, String(value));
      return unpacked<Picture>(
        await binary(`/api/jobs/${job}/picture?${query}`, undefined, signal),
      );
    },
    enabled: told !== undefined,
    placeholderData: (before) => before,
    gcTime: 0,
    retry: false,
  });
  const shown = picture.data ?? fallback;
  return shown ? <GridMesh picture={shown} extent={extent} /> : null;
}
