"""Steps read alike on the screen and in reports, which tell them by rules of their own."""

import json

import pytest
from playwright.sync_api import expect

import plodek.demo
from plodek.core.recipe import document
from plodek.core.recipe.evaluation import Evaluator
from plodek.core.recipe.files import Files
from plodek.core.recipe.sentences import sentences
from tests.conftest import demo_file
from tests.core.examples import EXAMPLES, steps_of

DEMO = next(iter(plodek.demo.__path__))
FILES = Files(demo_file)


def steps_like(name):
    return json.loads(demo_file(f"{name}.json"))["steps"]


#: Every kind of step that needs no file, one after the other as far as they apply.
EVERY = [step for kind in EXAMPLES for step in steps_of(kind)[-1:] if not step.get("file")]


@pytest.mark.parametrize("name", ["gate-chamber", "every kind"])
def test_every_step_reads_alike_on_the_screen_and_in_a_report(board, name):
    steps = EVERY if name == "every kind" else steps_like(name)
    steps = [step | {"id": f"s{n}"} for n, step in enumerate(steps)]
    told = sentences(Evaluator().evaluate(document.of({"steps": steps}), FILES))
    board.new("Sentences")
    project = board.page.url.rsplit("/", 1)[1]
    answer = board.page.request.put(
        f"{board.address}/api/projects/{project}/recipe", data={"base": 0, "steps": steps}
    )
    assert answer.ok, answer.text()
    board.page.reload()
    expect(board.steps).to_have_count(len(steps))
    for number, (sentence, row) in enumerate(zip(told, board.steps.all(), strict=True), 1):
        shown = "".join(row.inner_text().split())
        assert shown.startswith(f"{number:02d}{''.join(sentence.split())}"), (sentence, row.inner_text())
