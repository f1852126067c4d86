"""Reports through the HTTP client: with the project's own words and sections, and what stands in their way."""

import re

import pytest

from tests.server.looking.boxed import KEPT, PLANE, STEPS


@pytest.mark.parametrize(("kind", "begins"), [("html", b"<!doctype html>"), ("pdf", b"%PDF-")])
def test_a_report_is_sent_as_it_is_asked_for(client, place, kind, begins):
    answer = client.get(f"{place}/report?kind={kind}&title=Weir&note=Second+try&metric=aspect_ratio")
    assert answer.status_code == 200
    assert answer.data.startswith(begins)
    assert kind in answer.mimetype


def test_it_shows_the_sections_that_are_kept_and_shown(client, place):
    kept = [
        KEPT | PLANE,
        KEPT | {"kind": "sphere", "point": [1, 0.5, 0.5], "radius": 0.3},
        KEPT | {"kind": "cylinder", "point": [1, 0.5, 0], "axis": [0, 0, 1], "radius": 0.2, "moved": 0.1},
        KEPT | {"through": [[0, 0, 0.3], [1, 0, 0.3], [0, 1, 0.3]]},
        KEPT | {"guide": "path", "at": 0.25},
        KEPT | {"point": [0, 0, 0.5], "axis": [0, 1, 1]},
        KEPT | PLANE | {"point": [0.9, 0, 0], "shown": False},
    ]
    assert client.put(f"{place}/sections", json={"sections": kept}).status_code == 200
    page = client.get(f"{place}/report").text
    told = re.findall(r"<figcaption>((?:Plane|Sphere|Cylinder)[^<:]*):", page)
    assert told == [
        "Plane at x = 0.4 m",
        "Sphere of 0.3 m round (1, 0.5, 0.5)",
        "Cylinder of 0.2 m through (1, 0.5, 0), moved by 0.1 m",
        "Plane by three places",
        "Plane square to path at 0.25 of it",
        "Plane through (0, 0, 0.5)",
    ]
    assert page.count("<li>") == len(STEPS)
    assert "<h1>Box</h1>" in page


@pytest.mark.parametrize(
    ("query", "said"), [("metric=beauty", "is no metric"), ("kind=docx", "kind"), ("upto=0", "no blocks")]
)
def test_what_cannot_be_reported_is_refused_in_words(client, place, query, said):
    answer = client.get(f"{place}/report?{query}")
    assert answer.status_code == 422
    assert said in str(answer.json)
