"""No grid of the ledger may become worth less; what has become better is kept by `make ledger KEEP=--keep`."""

import json

import pytest

from tests.core.ledger.worth import KEPT, recipes, worse, worth_of

LEDGER = json.loads(KEPT.read_text())


@pytest.mark.slow
@pytest.mark.parametrize("name", recipes())
def test_a_grid_is_worth_what_it_was(name):
    assert worse(LEDGER[name], worth_of(recipes()[name])) == []


def test_the_ledger_tells_what_has_fallen_and_has_all_recipes():
    assert set(LEDGER) == set(recipes())
    (some, *_) = LEDGER.values()
    assert worse(some, some) == []
    for key, by in (("smallest_angle", -1.1), ("largest_1", 1.1), ("folded", 1), ("heights_held", -0.02)):
        changed = {state: figures | {key: figures[key] + by} for state, figures in some.items()}
        assert len(worse(some, changed)) == len(some)
        assert worse(changed, some) == []
