import { Box, Flex, Grid, Spinner, Text } from "@chakra-ui/react";
import { useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useEffect, useMemo, useState } from "react";
import { codeOf, http, taken } from "../api/client";
import { ended, useJob } from "../api/job";
import {
  type Change,
  useGrid,
  useKeeping,
  useModel,
  usePreview,
  usePreviewGrid,
  usePreviewShape,
  useQuality,
  useRecipe,
  useSchema,
  useShape,
} from "../api/queries";
import { onlyInSpace } from "../model/looking";
import { blended } from "../model/picture";
import { groundOf, isRun } from "../model/places";
import { SELECTING } from "../model/schema";
import { NOTHING } from "../model/selection";
import type { Model, Step } from "../model/types";
import { BoardContext, type BoardData } from "../session/context";
import { complete, newDraft, placeOf, selectingField, withDraft } from "../session/drafting";
import { type Event, jobOf, mayBegin, overtaken, waits, waitsForRun } from "../session/run";
import { resetBoard, toRun, useBoard } from "../session/store";
import { Wrong } from "../theme/parts";
import { View } from "../view/View";
import { Find } from "./Find";
import { InHand } from "./InHand";
import { Recipe } from "./Recipe";
import { Route } from "./Route";
import { Strip } from "./Strip";
import { useAskRun } from "./useAskRun";
import { useBoardKeys } from "./useBoardKeys";
import { useSectionsKept } from "./useSectionsKept";
import { useShowFound } from "./useShowFound";

/** What is being done while there is nothing to show yet. */
interface Waiting {
  waiting: string;
}

const LOOK_ONLY = "This project is shared with you to look at: what you try is not kept.";

/** The main screen of a project. */
export function Board({ project }: { project: number }) {
  const data = useData(project);
  useEffect(() => resetBoard, []);
  if (typeof data === "string") {
    return (
      <Box p="8" maxW="600px">
        <Wrong>{data}</Wrong>
      </Box>
    );
  }
  if ("waiting" in data) {
    return (
      <Flex height="100%" align="center" justify="center" gap="3" role="status">
        <Spinner color="ochre" />
        <Text color="muted">{data.waiting} …</Text>
      </Flex>
    );
  }
  return (
    <BoardContext.Provider value={data}>
      <Screen />
    </BoardContext.Provider>
  );
}

function Screen() {
  useBoardKeys();
  const finding = useBoard((board) => board.finding);
  return (
    <Grid
      height="100%"
      templateRows="58px minmax(0, 1fr) 192px"
      templateColumns={{
        base: "236px minmax(0, 1fr) 240px",
        xl: "276px minmax(0, 1fr) 276px",
      }}
    >
      <Box gridColumn="1 / -1">
        <Route />
      </Box>
      <Recipe />
      <View />
      <InHand />
      <Box gridColumn="1 / -1">
        <Strip />
      </Box>
      {finding && <Find />}
    </Grid>
  );
}

/** Gathers what the board needs; a string where the project cannot be shown, or what is waited for. */
function useData(project: number): BoardData | string | Waiting {
  const board = useBoard();
  const cache = useQueryClient();
  const schema = useSchema();
  const recipe = useRecipe(project);
  const revision = recipe.data?.revision;
  const steps = useMemo(() => (recipe.data?.steps ?? []) as Step[], [recipe.data]);
  const upto = board.here;
  const model = useModel(project, revision, upto);
  const { keep, undo, redo, rename, unit, again } = useKeeping(project);
  const [problem, setProblem] = useState("");
  const job = useJob(jobOf(board.run));

  const kinds = schema.data?.kinds;
  const draft = useDeferredValue(board.draft);
  const kind = draft && kinds?.get(draft.step.kind);
  const ready = draft && kind && complete(kind, draft.step);
  const ground = useMemo(
    () => groundOf(kinds ?? new Map(), model.data, board.space),
    [kinds, model.data, board.space],
  );
  // A draft is tried with all that comes after it, so that its effect is that on the whole grid.
  const seen = useMemo(() => steps.slice(0, upto ?? undefined), [steps, upto]);
  const tried = useMemo(
    () => (draft && kind && ready ? withDraft(seen, draft, kind, upto, ground) : null),
    [draft, kind, ready, seen, upto, ground],
  );
  // A run has no effect to be told against what is there; what it does is told, also where nothing has changed.
  const against = useMemo(
    () =>
      draft && isRun(kind || undefined) ? seen.slice(0, placeOf(draft, seen, upto, ground)) : seen,
    [draft, kind, seen, upto, ground],
  );
  const preview = usePreview(project, tried, against);
  useShowFound(preview.data ?? null, model.data);
  const wantsGrid = board.layer !== "Blocks" || board.stage === "Check";
  const previewGrid = usePreviewGrid(
    project,
    wantsGrid && tried && preview.data?.after && ["Blocks", "Spacing"].includes(kind?.stage ?? "")
      ? tried
      : null,
    board.part,
  );

  const surfaces = model.data?.guides.some((guide) => guide.dim === 2) ?? false;
  const shape = useShape(project, revision, upto, surfaces);
  const makesSurfaces = preview.data?.after !== undefined && kind?.stage === "Shape";
  const newSurfaces =
    makesSurfaces && !preview.data?.error && preview.data?.model.guides.some((g) => g.dim === 2);
  const previewShape = usePreviewShape(project, newSurfaces ? tried : null, seen);

  const hasBlocks = (model.data?.blocks.length ?? 0) > 0;
  const plane = model.data?.plane_step ?? null;
  const gridUpto = plane !== null && !board.space ? plane : upto;
  const metric = board.layer === "Quality" ? board.metric : null;
  const wish = { upto: gridUpto, smoothed: board.share > 0, metric, part: board.part };
  const grid = useGrid(project, revision, wish, hasBlocks && board.layer !== "Blocks");
  // Between the filled and the smoothed grid both are needed.
  const share = useDeferredValue(board.share);
  const between = share > 0 && share < 1;
  const plain = { ...wish, smoothed: false, metric: null };
  const start = useGrid(project, revision, plain, hasBlocks && between);
  const shownGrid = useMemo(() => {
    if (!between || !grid.data || !start.data || start.isPlaceholderData) return grid.data ?? null;
    return blended(start.data, grid.data, share);
  }, [between, grid.data, start.data, start.isPlaceholderData, share]);
  const quality = useQuality(project, revision, upto, board.metric, board.bars.log, hasBlocks);
  const smoothing = (model.data?.smoothing ?? 0) > 0 && board.stage === "Smooth";
  const filled = useQuality(
    project,
    revision,
    upto,
    board.metric,
    board.bars.log,
    hasBlocks && smoothing,
    false,
  );

  // The recipe is live: a grid whose smoothing has not been run yet is smoothed without being asked.
  // It may be asked for between two steps too.
  const failing = model.data?.steps.find((step) => step.state === "error")?.code;
  const notRun = [codeOf(quality.error), failing].some((code) => waitsForRun(code));
  const here = useMemo(
    () => (revision === undefined ? null : { project, revision, upto }),
    [project, revision, upto],
  );
  const ask = useAskRun(setProblem);
  const mustRun = notRun && here !== null && mayBegin(board.run, here);
  useEffect(() => {
    if (mustRun && here) void ask(here, { base: here.revision, steps, upto, keep: false });
  }, [mustRun, here, steps, upto, ask]);

  useSectionsKept(project, recipe.data?.role === "see");

  const isEnded = job !== null && ended(job);
  useEffect(() => {
    if (!job || !isEnded || job.kind !== "build") return;
    if (job.state === "failed") {
      const why = String(job.result.error ?? "The run failed.");
      setProblem(why);
      toRun({ what: "failed", job: job.id, why });
      if (job.result.steps) cache.invalidateQueries({ queryKey: ["recipe", project] });
      return;
    }
    const revision = job.result.revision as number | undefined;
    const end: Event =
      job.state === "stopped"
        ? { what: "stopped", job: job.id, why: "The run was stopped.", revision }
        : { what: "done", job: job.id };
    if (revision !== undefined) {
      // What is known of the revision before stays as it is: the new one is asked for by its own number.
      cache.invalidateQueries({ queryKey: ["recipe", project] }).then(() => {
        toRun(end);
        useBoard.setState({ draft: null, share: 1 });
      });
      return;
    }
    // Steps that waited for the run change the model, and with it all that is told of it. The run ends
    // when the new model is there: by the old one it would begin again.
    const models = cache.getQueriesData<Model>({ queryKey: ["model", project] });
    const waited = models.some(([, known]) => known?.steps.some((step) => waitsForRun(step.code)));
    cache.invalidateQueries({
      predicate: ({ queryKey: [what, whose] }) =>
        whose === project &&
        (what === "grid" || what === "quality" || (waited && what !== "recipe")),
    });
    const still = { queryKey: ["model", project] };
    if (waited) cache.invalidateQueries(still, { cancelRefetch: false }).then(() => toRun(end));
    else toRun(end);
  }, [job, isEnded, cache, project]);

  // The stage may have been chosen before the project was there: without a plane it shows space.
  const spatial = model.data !== undefined && onlyInSpace(model.data) && board.stage === "Smooth";
  useEffect(() => {
    if (spatial) useBoard.setState({ space: true });
  }, [spatial]);

  // A run that a newer recipe has overtaken is of no use any more.
  const old = isEnded ? null : overtaken(board.run, project, revision);
  useEffect(() => {
    if (!old) return;
    const params = { path: { job: old }, query: { keep: false } };
    void taken(http.POST("/api/jobs/{job}/stop", { params })).catch(() => null); // it may have ended
    toRun({ what: "leave" });
  }, [old]);

  useEffect(() => {
    if (recipe.data) document.title = `${recipe.data.name} · Plodek`;
  }, [recipe.data]);

  const error = recipe.error ?? schema.error ?? (model.data ? null : model.error);
  if (error) return error.message;
  if (!recipe.data || !kinds) return { waiting: "Opening the project" };
  if (!model.data) return { waiting: `Working out the blocks from ${steps.length} steps` };
  const base = recipe.data.revision;
  const lookOnly = recipe.data.role === "see";
  /** Forgets the last problem; false, with one, where this user may only look. */
  const mayChange = () => {
    setProblem(lookOnly ? LOOK_ONLY : "");
    return !lookOnly;
  };
  const fail = (failed: Error) => setProblem(failed.message);
  const keepSteps = async (change: Change, then?: () => void) => {
    if (!mayChange()) return;
    // Each edit of the queue tells its own end: `mutate` would only tell that of the last.
    await keep.mutateAsync(change).then(then, fail);
  };
  const run = () => {
    const kind = board.draft && kinds?.get(board.draft.step.kind);
    if (!board.draft || !kind || board.keeping || !mayChange()) return;
    useBoard.setState({ keeping: true });
    const tried = withDraft(steps, board.draft, kind, board.here, ground);
    const whole = { base, steps: tried, upto: null, keep: true };
    ask({ project, revision: base, upto: null }, whole)
      .then((begun) => {
        if (begun) useBoard.setState({ layer: "Cells", here: null, space: ground.inSpace });
      })
      .finally(() => useBoard.setState({ keeping: false }));
  };
  return {
    project,
    recipe: recipe.data,
    steps,
    model: model.data,
    kinds,
    ground,
    quality: hasBlocks && !quality.error ? (quality.data ?? null) : null,
    filled: smoothing && !filled.error ? (filled.data ?? null) : null,
    grid: hasBlocks && board.layer !== "Blocks" && !grid.error ? shownGrid : null,
    doing: grid.isLoading ? "Filling the grid" : quality.isLoading ? "Measuring the cells" : "",
    gridProblem: grid.error && !waitsForRun(codeOf(grid.error)) ? grid.error.message : "",
    preview: tried ? (preview.data ?? null) : null,
    previewGrid: previewGrid.data && tried && wantsGrid ? previewGrid.data : null,
    shape: surfaces ? (shape.data ?? null) : null,
    previewShape: newSurfaces && tried ? (previewShape.data ?? null) : null,
    problem,
    // What is on the screen must be what an edit starts from.
    busy:
      [keep, undo, redo, rename, unit, again].some((one) => one.isPending) ||
      model.isPlaceholderData,
    job,
    keepSteps,
    keepDraft: () => {
      // Read where it stands now: a second Enter comes before the screen has been drawn anew.
      const { draft, here: after, keeping } = useBoard.getState();
      const kind = draft && kinds?.get(draft.step.kind);
      if (!draft || !kind || keeping) return;
      if (isRun(kind)) return run();
      useBoard.setState({ keeping: true });
      const added = draft.isNew;
      const keepIt = (now: Step[]) => withDraft(now, draft, kind, after, ground);
      keepSteps(keepIt, () =>
        useBoard.setState({
          draft: null,
          here: after === null ? null : after + (added ? 1 : 0),
          selection: NOTHING,
        }),
      ).finally(() => useBoard.setState({ keeping: false }));
    },
    run,
    notRun: notRun && here && "why" in board.run && waits(board.run, here) ? board.run.why : "",
    runAgain: () => {
      setProblem("");
      if (here) void ask(here, { base, steps, upto, keep: false });
    },
    stop: () => {
      const running = jobOf(board.run);
      if (!running) return;
      const params = { path: { job: running }, query: { keep: !lookOnly } };
      void taken(http.POST("/api/jobs/{job}/stop", { params })).catch(fail);
    },
    undo: () => {
      if (mayChange() && recipe.data.can_undo) undo.mutate(undefined, { onError: fail });
    },
    redo: () => {
      if (mayChange() && recipe.data.can_redo) redo.mutate(undefined, { onError: fail });
    },
    begin: (name, values) => {
      const found = kinds.get(name);
      if (!found) return;
      setProblem("");
      const made = newDraft(found, steps, board.selection, model.data, values);
      useBoard.setState({ draft: made, stage: found.stage as typeof board.stage });
    },
    edit: (id, field = null) => {
      const step = steps.find((one) => one.id === id);
      const found = step && kinds.get(step.kind);
      if (!found) return;
      setProblem("");
      const asked = found.fields.find((f) => f.name === field);
      const taking = asked && SELECTING.has(asked.widget) ? asked : null;
      const selecting = field === null ? (selectingField(found, step) ?? null) : taking;
      useBoard.setState({
        draft: {
          step: { ...step },
          isNew: false,
          field: selecting?.name ?? null,
          focus: asked?.name,
        },
        stage: found.stage as typeof board.stage,
      });
    },
    rename: (guide, to) => {
      if (!mayChange()) return;
      const renamed = () => useBoard.setState({ selection: { kind: "guide", ids: [to] } });
      rename.mutate({ guide, to }, { onSuccess: renamed, onError: fail });
    },
    bringBack: (revision) => {
      if (!mayChange()) return;
      const back = () => useBoard.setState({ draft: null, here: null, share: 1 });
      again.mutate(revision, { onSuccess: back, onError: fail });
    },
    changeUnit: (wish, meaning) => {
      if (!mayChange()) return;
      const changed = () => useBoard.setState({ draft: null, measured: [] });
      unit.mutate({ unit: wish, meaning }, { onSuccess: changed, onError: fail });
    },
    cancel: () => {
      setProblem("");
      useBoard.setState({ draft: null });
    },
  };
}
