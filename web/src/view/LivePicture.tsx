import { useQuery } from "@tanstack/react-query";
import { binary } from "../api/client";
import { type Picture, unpacked } from "../model/picture";
import { useBoardData } from "../session/context";
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
  const picture = useQuery({
    queryKey: ["live", job, told],
    queryFn: async ({ signal }) =>
      unpacked<Picture>(await binary(`/api/jobs/${job}/picture`, undefined, signal)),
    enabled: told !== undefined,
    placeholderData: (before) => before,
    gcTime: 0,
    retry: false,
  });
  const shown = picture.data ?? fallback;
  return shown ? <GridMesh picture={shown} extent={extent} /> : null;
}
