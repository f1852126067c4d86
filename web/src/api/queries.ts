import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import type { Part } from "../model/looking";
import { type Picture, unpacked } from "../model/picture";
import { kindsOf } from "../model/schema";
import type { ShapePicture } from "../model/shape_picture";
import type { RecipeState, Step } from "../model/types";
import type { WallWish } from "../model/wall_wish";
import { binary, http, Problem, taken } from "./client";

export type LengthUnit = "m" | "cm" | "mm" | "in" | "ft";

const path = (project: number) => ({ params: { path: { project } } });

export const useSchema = () =>
  useQuery({
    queryKey: ["schema"],
    queryFn: async () => {
      const found = await taken(http.GET("/api/schema"));
      return { kinds: kindsOf(found.schema), formats: found.formats, version: found.version };
    },
    staleTime: Number.POSITIVE_INFINITY,
  });

export const useRecipe = (project: number) =>
  useQuery({
    queryKey: ["recipe", project],
    queryFn: () => taken(http.GET("/api/projects/{project}/recipe", path(project))),
    refetchOnWindowFocus: true,
  });

export const useModel = (project: number, revision: number | undefined, upto: number | null) =>
  useQuery({
    queryKey: ["model", project, revision, upto],
    queryFn: () =>
      taken(
        http.GET("/api/projects/{project}/model", {
          params: { path: { project }, query: upto === null ? {} : { upto } },
        }),
      ),
    enabled: revision !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
  });

/** Asks what a draft would do; the last answer stays until the next is there. */
export const usePreview = (project: number, steps: Step[] | null, against: Step[]) =>
  useQuery({
    queryKey: ["preview", project, JSON.stringify(steps), JSON.stringify(against)],
    queryFn: ({ signal }) =>
      taken(
        http.POST("/api/projects/{project}/preview", {
          ...path(project),
          body: { steps: steps ?? [], against },
          signal,
        }),
      ),
    enabled: steps !== null,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

/** How long a draft must rest before a large grid is drawn whole, in milliseconds. */
const REST = 600;

/** A part of a grid in space, as the server takes it. */
export const partOf = (part: Part): { blocks?: string; tier?: string; at?: number } =>
  part.kind === "blocks"
    ? { blocks: part.ids.join("|") }
    : part.kind === "layer"
      ? { tier: part.tier, at: part.at }
      : {};

/** The grid of a draft; a large one is there coarse at first, then true once the draft rests. */
export function usePreviewGrid(project: number, steps: Step[] | null, part: Part) {
  const asked = (fine: boolean) => ({
    queryKey: ["preview grid", project, JSON.stringify(steps), part, fine],
    queryFn: async ({ signal }: { signal: AbortSignal }) => {
      if (fine) await new Promise((rested) => setTimeout(rested, REST));
      signal.throwIfAborted();
      const body = { steps, fine, ...partOf(part) };
      return unpacked<Picture>(await binary(`/api/projects/${project}/preview/grid`, body, signal));
    },
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
  const quick = useQuery({
    ...asked(false),
    enabled: steps !== null,
    placeholderData: keepPreviousData,
  });
  const large = quick.data?.coarse === true && !quick.isPlaceholderData;
  const whole = useQuery({ ...asked(true), enabled: steps !== null && large });
  return { data: (large && whole.data) || quick.data };
}

/** The surfaces, drawn; none are asked for where there is none. */
export const useShape = (
  project: number,
  revision: number | undefined,
  upto: number | null,
  enabled: boolean,
) =>
  useQuery({
    queryKey: ["shape", project, revision, upto],
    queryFn: async ({ signal }) => {
      const query = upto === null ? "" : `?upto=${upto}`;
      const url = `/api/projects/${project}/shape${query}`;
      return unpacked<ShapePicture>(await binary(url, undefined, signal));
    },
    enabled: enabled && revision !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

/** The surfaces that a draft would add or change. */
export const usePreviewShape = (project: number, steps: Step[] | null, against: Step[]) =>
  useQuery({
    queryKey: ["preview shape", project, JSON.stringify(steps), JSON.stringify(against)],
    queryFn: async ({ signal }) =>
      unpacked<ShapePicture>(
        await binary(`/api/projects/${project}/preview/shape`, { steps, against }, signal),
      ),
    enabled: steps !== null,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

/** What would make the blocks or the spacing better. */
export const useAdvice = (
  project: number,
  revision: number,
  upto: number | null,
  stage: "Blocks" | "Spacing",
  enabled: boolean,
) =>
  useQuery({
    queryKey: ["advice", project, revision, upto, stage],
    queryFn: () =>
      taken(
        http.GET("/api/projects/{project}/advice", {
          params: { path: { project }, query: upto === null ? { stage } : { stage, upto } },
        }),
      ),
    enabled,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

/** What a suggestion would come to. */
export const useEffectOf = (project: number, steps: Step[], against: Step[], enabled: boolean) =>
  useQuery({
    queryKey: ["effect", project, JSON.stringify(steps)],
    queryFn: () =>
      taken(
        http.POST("/api/projects/{project}/effect", { ...path(project), body: { steps, against } }),
      ),
    enabled,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

/** The first height for a wanted y⁺; the last one stays until the next is there. */
export const useWallHeight = (wish: WallWish, unit: string) =>
  useQuery({
    queryKey: ["wall height", wish, unit],
    queryFn: () => {
      const number = (text: string) => Number(text.replace(",", "."));
      const typed = wish.fluid === "typed";
      const query = {
        unit: unit as LengthUnit,
        speed: number(wish.speed),
        length: wish.length,
        fluid: wish.fluid,
        celsius: number(wish.celsius),
        ...(typed ? { density: number(wish.density), viscosity: number(wish.viscosity) } : {}),
        y_plus: number(wish.yPlus),
        growth: number(wish.growth),
        friction: wish.friction,
      };
      return taken(http.GET("/api/wall-height", { params: { query } }));
    },
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

/** The blocks laid out flat. */
export const usePlan = (
  project: number,
  revision: number,
  upto: number | null,
  tier: string | null,
  enabled: boolean,
) =>
  useQuery({
    queryKey: ["plan", project, revision, upto, tier],
    queryFn: () =>
      taken(
        http.GET("/api/projects/{project}/plan", {
          params: {
            path: { project },
            query: { ...(upto === null ? {} : { upto }), ...(tier === null ? {} : { tier }) },
          },
        }),
      ),
    enabled,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

/** What is found between the surfaces. */
export const useMending = (project: number, revision: number, upto: number | null) =>
  useQuery({
    queryKey: ["mending", project, revision, upto],
    queryFn: () =>
      taken(
        http.GET("/api/projects/{project}/mending", {
          params: { path: { project }, query: upto === null ? {} : { upto } },
        }),
      ),
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

/** What a stored geometry file holds. */
export const useFile = (project: number, name: string) =>
  useQuery({
    queryKey: ["file", project, name],
    queryFn: () =>
      taken(
        http.GET("/api/projects/{project}/files/{name}", { params: { path: { project, name } } }),
      ),
    enabled: name !== "",
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

/** The runs over the grid that the project has seen, the last first. */
export const useRuns = (project: number, revision: number, job: string | null) =>
  useQuery({
    queryKey: ["runs", project, revision, job],
    queryFn: () => taken(http.GET("/api/projects/{project}/runs", path(project))),
    placeholderData: keepPreviousData,
    retry: false,
  });

/** The hand-offs of a project, each held against one of them, or else against the one before it. */
export const useHandoffs = (project: number, made: string | null, against: string | null) =>
  useQuery({
    queryKey: ["handoffs", project, made, against],
    queryFn: () =>
      taken(
        http.GET("/api/projects/{project}/handoffs", {
          params: { path: { project }, query: { against } },
        }),
      ),
    placeholderData: keepPreviousData,
    retry: false,
  });

/** The flow of a dry run as it is seen from outside. */
export const useField = (field: { job: string; name: "speed" | "potential" } | null) =>
  useQuery({
    queryKey: ["field", field],
    queryFn: async ({ signal }) =>
      unpacked<Picture>(
        await binary(`/api/jobs/${field?.job}/field?field=${field?.name}`, undefined, signal),
      ),
    enabled: field !== null,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: false,
  });

export interface GridWish {
  upto: number | null;
  smoothed: boolean;
  metric: string | null;
  part: Part;
}

export const useGrid = (
  project: number,
  revision: number | undefined,
  wish: GridWish,
  enabled: boolean,
) =>
  useQuery({
    // Sections and chosen cells are drawn over the whole: it is not fetched again for them.
    queryKey: ["grid", project, revision, { ...wish, part: partOf(wish.part) }],
    queryFn: async ({ signal }) => {
      const query = new URLSearchParams({ smoothed: String(wish.smoothed) });
      if (wish.upto !== null) query.set("upto", String(wish.upto));
      if (wish.metric !== null) query.set("metric", wish.metric);
      for (const [name, value] of Object.entries(partOf(wish.part))) query.set(name, String(value));
      return unpacked<Picture>(
        await binary(`/api/projects/${project}/grid?${query}`, undefined, signal),
      );
    },
    enabled: enabled && revision !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

export const useQuality = (
  project: number,
  revision: number | undefined,
  upto: number | null,
  metric: string,
  log: boolean | null,
  enabled: boolean,
  smoothed = true,
) =>
  useQuery({
    queryKey: ["quality", project, revision, upto, metric, log, smoothed],
    queryFn: () =>
      taken(
        http.GET("/api/projects/{project}/quality", {
          params: {
            path: { project },
            query: {
              metric,
              smoothed,
              ...(upto !== null && { upto }),
              ...(log !== null && { log }),
            },
          },
        }),
      ),
    enabled: enabled && revision !== undefined,
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });

/** What an edit makes of the steps there are when its turn comes. */
export type Change = (steps: Step[]) => Step[];

/**
 * Keeps steps, undoes and redoes, one edit after the other: what is asked for while an earlier one is
 * under way waits for it and builds on it. A stale edit brings the newer recipe and its problem; the
 * draft stays.
 */
export function useKeeping(project: number) {
  const cache = useQueryClient();
  const recipe = () => cache.getQueryData<RecipeState>(["recipe", project]);
  const base = () => recipe()?.revision ?? 0;
  const options = {
    scope: { id: `recipe ${project}` },
    onSuccess: (kept: RecipeState) => cache.setQueryData(["recipe", project], kept),
    onError: (error: Error) => {
      if (error instanceof Problem && error.status === 409)
        cache.invalidateQueries({ queryKey: ["recipe", project] });
    },
  };
  const keep = useMutation({
    mutationFn: (change: Change) => {
      const steps = change((recipe()?.steps ?? []) as Step[]);
      const body = { base: base(), steps, parameters: null };
      return taken(http.PUT("/api/projects/{project}/recipe", { ...path(project), body }));
    },
    ...options,
  });
  const undo = useMutation({
    mutationFn: () => {
      const body = { base: base() };
      return taken(http.POST("/api/projects/{project}/undo", { ...path(project), body }));
    },
    ...options,
  });
  const redo = useMutation({
    mutationFn: () => {
      const body = { base: base() };
      return taken(http.POST("/api/projects/{project}/redo", { ...path(project), body }));
    },
    ...options,
  });
  const rename = useMutation({
    mutationFn: (wish: { guide: string; to: string }) => {
      const body = { base: base(), ...wish };
      return taken(http.POST("/api/projects/{project}/renames", { ...path(project), body }));
    },
    ...options,
  });
  const unit = useMutation({
    mutationFn: (wish: { unit: LengthUnit; meaning: "convert" | "keep" }) => {
      const body = { base: base(), ...wish };
      return taken(http.POST("/api/projects/{project}/unit", { ...path(project), body }));
    },
    ...options,
  });
  const again = useMutation({
    mutationFn: (revision: number) => {
      const params = { path: { project, revision } };
      const body = { base: base() };
      return taken(
        http.POST("/api/projects/{project}/revisions/{revision}/again", { params, body }),
      );
    },
    ...options,
  });
  return { keep, undo, redo, rename, unit, again };
}

interface TableWish {
  upto: number | null;
  metric: string;
  smoothed: boolean;
  by: "block" | "region" | "patch" | "tier";
}

/** A metric by blocks, regions, patches or tiers. */
export const useTable = (project: number, revision: number, { upto, ...wish }: TableWish) =>
  useQuery({
    queryKey: ["table", project, revision, upto, wish],
    queryFn: () =>
      taken(
        http.GET("/api/projects/{project}/table", {
          params: { path: { project }, query: { ...wish, ...(upto !== null && { upto }) } },
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
  });
