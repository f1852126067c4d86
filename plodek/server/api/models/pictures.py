"""Turning models into what the screen shows: corners, edges, blocks, sides, patches, steps, and the plan."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from math import prod
from typing import Any, cast

from plodek.core.blocks.continuing import EdgeEnd
from plodek.core.blocks.layout import Edge, Side, Use
from plodek.core.blocks.plan import clearest, plan
from plodek.core.blocks.reports import Finding, Note, Proposal
from plodek.core.errors import NothingFound
from plodek.core.model.model import Model
from plodek.core.recipe.evaluation import Evaluation
from plodek.core.recipe.sentences import labels_in
from plodek.core.spacing.jumps import GROWTH_LIMIT
from plodek.server.api.guides.messages import GroupOut
from plodek.server.api.guides.pictures import guides_out
from plodek.server.api.models.messages import (
    BlockOut,
    CornerOut,
    EdgeOut,
    FindingOut,
    JumpOut,
    ModelOut,
    PatchOut,
    PlanBlock,
    PlanOut,
    ProposalOut,
    SideOut,
    StepState,
)
from plodek.server.api.models.tiers import tiers_out

#: Jumps that are shown at most, the worst.
_MOST_JUMPS = 500


def model_out(evaluation: Evaluation) -> ModelOut:
    """Give the model after the last step that could be applied, with the state of all steps."""
    model, layout = evaluation.model, evaluation.model.layout
    faces = _face_counts(model)
    named = faces | _inner_face_counts(model)
    laid = model.laid if layout.blocks else None
    foot = model.lift.foot if model.lift else {}
    return ModelOut(
        unit=model.unit,
        dim=layout.dim,
        steps=_steps(evaluation),
        guides=guides_out(evaluation),
        groups=[
            GroupOut(name=name, colour=group.colour, members=list(group.members))
            for name, group in model.groups.items()
        ],
        corners=[
            CornerOut(
                id=c,
                label=layout.labels[c],
                xyz=list(k.xyz),
                sign=k.sign,
                guide=k.guide,
                fraction=k.fraction,
                foot=foot.get(c),
            )
            for c, k in layout.corners.items()
        ],
        edges=_edges(model) if laid else [],
        blocks=[
            _block(model, name, centre)
            for name, centre in zip(layout.blocks, layout.centres.tolist(), strict=True)
        ],
        sides=_sides(model) if layout.dim == 3 else [],
        tiers=tiers_out(evaluation) if laid else [],
        patches=[
            PatchOut(
                name=p.name,
                type=p.type,
                sides=[list(s) for s, owner in model.patch_of.items() if owner is p],
                faces=sum(named[s] for s, owner in model.patch_of.items() if owner is p),
            )
            for p in model.patches
        ],
        findings=_findings(model.facts.findings) if laid else [],
        twins=[[[a, b] for a, b in twin.corners.items()] for twin in layout.twins],
        regions=list(layout.regions),
        jumps=[
            JumpOut(
                corner=j.corner,
                at=list(layout.corners[j.corner].xyz),
                edges=[list(j.fine), list(j.coarse)],
                ratio=j.ratio,
            )
            for j in (model.jumps if laid else [])[:_MOST_JUMPS]
        ],
        growth_limit=GROWTH_LIMIT,
        unnamed_sides=[list(s) for s in model.unnamed],
        unnamed_faces=sum(faces[s] for s in model.unnamed),
        faces=sum(faces.values()),
        plane_step=_plane_step(evaluation),
        cells=model.cells if laid else 0,
        smoothing=len(model.all_runs),
        smoothing_in_space=len(model.smoothing) if model.layout.dim == 3 else 0,
        limits=dict(model.limits),
    )


def _plane_step(evaluation: Evaluation) -> int | None:
    """Give the number of steps that make the plane, where a later one has lifted it."""
    return next((n for n, model in enumerate(evaluation.models) if model.lift), None)


def _findings(found: Iterable[Finding]) -> list[FindingOut]:
    return [
        FindingOut(
            text=f.text, blocks=list(f.blocks), corners=list(f.corners), edges=[list(e) for e in f.edges]
        )
        for f in found
    ]


def _sides(model: Model) -> list[SideOut]:
    layout = model.layout
    found = []
    for side, uses in layout.sides.items():
        a, b, c, d = layout.ordered(side)
        hollow = all(layout.blocks[use.block].hollow for use in uses)
        state = "hollow" if hollow else ("outer" if side in layout.outer else "inner")
        patch = model.patch_of.get(side)
        names = "–".join(layout.labels[use.block] for use in uses)
        found.append(
            SideOut(
                id=list(side),
                around=[a, b, d, c],
                label=f"{names} {'ijk'[uses[0].axis]}{'-+'[uses[0].end]}",
                state=cast(Any, state),
                lies=_shown(model, layout.lies.get(side)),
                patch=patch.name if patch else None,
                blocks=[use.block for use in uses],
            )
        )
    return found


def _shown(model: Model, guide: str | None) -> str | None:
    """Give the name of a guide as it is shown."""
    return None if guide is None else model.shown_guide(guide)


def plan_out(model: Model, label: str | None) -> PlanOut:
    """Lay the layout out flat; in space the sheet of a tier, the clearest where none is named."""
    layout = model.layout
    tier = None
    labels: list[str] = []
    if layout.dim == 3:
        labels = clearest(layout, model.tiers)
        tier = next((t for t in model.tiers if t.label == (label or labels[0])), None)
        if tier is None:
            raise NothingFound(f"no tier is called “{label}”", remedy=f"the tiers are {', '.join(labels)}")
    found = plan(layout, tier)
    return PlanOut(
        tier=tier.label if tier else None,
        tiers=labels,
        blocks=[
            PlanBlock(
                id=name, label=layout.labels[name], hollow=layout.blocks[name].hollow, corners=list(corners)
            )
            for name, corners in found.blocks
        ],
        xy=found.xy.tolist(),
        names=["|".join(name) for name in found.names],
    )


def _steps(evaluation: Evaluation) -> list[StepState]:
    """Tell each step's state, with the labels of the entities it names, as they were when it was applied."""
    states = []
    for number, step in enumerate(evaluation.recipe.steps):
        named = labels_in(step, evaluation.before(number))
        if evaluation.failed is None or number < evaluation.failed:
            model = evaluation.model
            said = model.reports.get(step.id, ())
            report = _findings(_still_there(model, one) for one in said if not isinstance(one, Proposal))
            proposals = [
                ProposalOut(key=one.key, text=one.text, corners=list(one.corners), why=one.why)
                for one in said
                if isinstance(one, Proposal)
            ]
            states.append(StepState(state="ok", labels=named, report=report, proposals=proposals))
        elif number == evaluation.failed and evaluation.error is not None:
            error = evaluation.error
            states.append(
                StepState(state="error", code=error.code, title=error.title, error=str(error), labels=named)
            )
        else:
            states.append(StepState(state="waiting", labels=named))
    return states


def _still_there(model: Model, said: Note | Finding) -> Finding:
    """Give what a step said with those of its blocks that later steps have left."""
    if isinstance(said, Note):
        return Finding(said.text)
    blocks = tuple(block for block in said.blocks if block in model.layout.blocks)
    return replace(said, blocks=blocks) if blocks else Finding(said.text)


def _edges(model: Model) -> list[EdgeOut]:
    layout, laid = model.layout, model.laid
    outer = {edge for side in layout.outer for edge in layout.rim_of(side)}
    found = []
    for edge in layout.edges:
        path = laid.paths.get(edge)
        state = "hollow" if path is None else ("outer" if edge in outer else "inner")
        law = model.spacing.laws.get(edge)
        follow = layout.follows.get(edge)
        found.append(
            EdgeOut(
                id=list(edge),
                label=f"{layout.labels[edge[0]]}–{layout.labels[edge[1]]}",
                tier=model.tier_by_edge[edge].label,
                ahead=model.tier_by_edge[edge].edges[edge],
                state=cast(Any, state),
                follows=_shown(model, follow.guide) if follow else None,
                length=path.length if path else math.dist(*(layout.corners[c].xyz for c in edge)),
                path=model.facts.drawn[edge],
                nodes=laid.nodes[edge].tolist() if edge in laid.nodes else [],
                law=law.law if law else "uniform",
                own=_own_law(model, edge),
                before=_going_on(model, (edge, edge[0])),
                beyond=_going_on(model, (edge, edge[1])),
            )
        )
    return found


def _going_on(model: Model, end: EdgeEnd) -> list[list[str]]:
    """Give the edges that go on beyond an end, each running away from it."""
    ends = model.continuing.get(end, ())
    return [[start, edge[1] if edge[0] == start else edge[0]] for edge, start in ends]


def _own_law(model: Model, edge: Edge) -> bool:
    """Whether an edge's law differs from that of its tier's first edge."""
    tier = model.tier_by_edge[edge]
    ours, first = model.spacing.laws.get(edge), model.spacing.laws.get(tier.first)
    if ours is None or first is None:
        return ours is not first
    return ours != (first if tier.edges[edge] == tier.edges[tier.first] else first.turned())


def _block(model: Model, name: str, centre: list[float]) -> BlockOut:
    block = model.layout.blocks[name]
    return BlockOut(
        id=name,
        label=model.layout.labels[name],
        corners=list(block.corners),
        hollow=block.hollow,
        region=block.region,
        base=model.lift.base.get(name) if model.lift else None,
        cells=list(model.counts_of(name)),
        centre=centre,
    )


def _face_counts(model: Model) -> dict[Side, int]:
    """Count the cell faces of every outer side."""
    if not model.layout.blocks:
        return {}
    return {side: _faces_on(model, use) for side, use in model.layout.outer.items()}


def _inner_face_counts(model: Model) -> dict[Side, int]:
    """Count the cell faces of every side between two regions, on both sides of it."""
    layout = model.layout
    return {side: sum(_faces_on(model, use) for use in layout.sides[side]) for side in layout.borders}


def _faces_on(model: Model, use: Use) -> int:
    """Count the cell faces on a side of a block."""
    return prod(n for axis, n in enumerate(model.counts_of(use.block)) if axis != use.axis)


def faces_of(model: Model) -> int:
    """Count the faces that a grid in space shows."""
    return sum(_face_counts(model).values())
