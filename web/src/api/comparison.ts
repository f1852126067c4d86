import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { type Picture, unpacked } from "../model/picture";
import type { Other } from "../model/types";
import { binary, http, taken } from "./client";

interface ComparisonWish {
  upto: number | null;
  smoothed: boolean;
  metric: string;
  log: boolean | null;
}

/** The present state beside another: metrics, histogram, nodes. */
export const useComparison = (
  project: number,
  revision: number,
  wish: ComparisonWish,
  other: Other | null,
) =>
  useQuery({
    queryKey: ["comparison", project, revision, wish, other],
    queryFn: () =>
      taken(
        http.POST("/api/projects/{project}/comparison", {
          params: { path: { project } },
          body: { ...wish, other: other as Other },
        }),
      ),
    enabled: other !== null,
    placeholderData: keepPreviousData,
    retry: false,
  });

/** The other state from outside. */
export const useOtherPicture = (
  project: number,
  revision: number,
  wish: { upto: number | null; metric: string | null },
  other: Other | null,
) =>
  useQuery({
    queryKey: ["other picture", project, revision, wish, other],
    queryFn: async ({ signal }) =>
      unpacked<Picture>(
        await binary(`/api/projects/${project}/comparison/picture`, { ...wish, other }, signal),
      ),
    enabled: other !== null,
    placeholderData: keepPreviousData,
    gcTime: 60_000,
    retry: false,
  });

/** The revisions of a project, the newest first, and what each changed. */
export const useRevisions = (project: number, revision: number, enabled: boolean) =>
  useQuery({
    queryKey: ["revisions", project, revision],
    queryFn: () =>
      taken(http.GET("/api/projects/{project}/revisions", { params: { path: { project } } })),
    enabled,
  });

/** The projects on the shelf. */
export const useShelf = (enabled: boolean) =>
  useQuery({
    queryKey: ["projects to compare with"],
    queryFn: () => taken(http.GET("/api/projects")),
    enabled,
  });
