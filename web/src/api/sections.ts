import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { unpacked } from "../model/picture";
import type { ChosenPicture, Other, Section, SectionPicture } from "../model/types";
import { binary, http, taken } from "./client";

/** The sections that are kept with a project. */
export const useKeptSections = (project: number) =>
  useQuery({
    queryKey: ["sections", project],
    queryFn: () =>
      taken(http.GET("/api/projects/{project}/sections", { params: { path: { project } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

/** Keeps sections with a project. */
export const keepSections = (project: number, sections: Section[]) =>
  taken(
    http.PUT("/api/projects/{project}/sections", {
      params: { path: { project } },
      body: { sections },
    }),
  );

export interface SectionsWish {
  upto: number | null;
  smoothed: boolean;
  metric: string | null;
  /** Another state to look into instead. */
  other?: Other;
}

export interface ChosenWish extends SectionsWish {
  ranges: { metric: string; low: number | null; high: number | null }[];
  patch: string;
  grown: number;
  shrunk: number;
}

/** Cells alone, by their metrics. */
export const useChosenPicture = (
  project: number,
  revision: number,
  wish: ChosenWish,
  enabled: boolean,
) =>
  useQuery({
    queryKey: ["chosen picture", project, revision, wish],
    queryFn: async ({ signal }) =>
      unpacked<ChosenPicture>(await binary(`/api/projects/${project}/cells/picture`, wish, signal)),
    enabled: enabled && wish.ranges.length > 0,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: false,
  });

/** What made cells as they are, and what is nearest to them. */
export const useCauses = (project: number, revision: number, wish: ChosenWish, enabled: boolean) =>
  useQuery({
    queryKey: ["causes", project, revision, wish],
    queryFn: () =>
      taken(
        http.POST("/api/projects/{project}/cells/causes", {
          params: { path: { project } },
          body: { ...wish, other: wish.other ?? null },
        }),
      ),
    enabled: enabled && wish.ranges.length > 0,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: false,
  });

/** What sections cut out of the grid; the last picture stays until the next is there. */
export const useSectionPicture = (
  project: number,
  revision: number,
  wish: SectionsWish,
  sections: Section[],
) =>
  useQuery({
    queryKey: ["section picture", project, revision, wish, sections],
    queryFn: async ({ signal }) =>
      unpacked<SectionPicture>(
        await binary(`/api/projects/${project}/sections/picture`, { ...wish, sections }, signal),
      ),
    enabled: sections.length > 0,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 20_000, // a section that is swept leaves many behind
    retry: false,
  });

/** A cell, by its number in the grid; the last one stays until the next is there. */
export const useProbe = (
  project: number,
  revision: number,
  cell: number | null,
  { upto, smoothed }: { upto: number | null; smoothed: boolean },
) =>
  useQuery({
    queryKey: ["probe", project, revision, cell, upto, smoothed],
    queryFn: () =>
      taken(
        http.GET("/api/projects/{project}/cells/{cell}", {
          params: {
            path: { project, cell: cell ?? 0 },
            query: { smoothed, ...(upto !== null && { upto }) },
          },
        }),
      ),
    enabled: cell !== null,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
