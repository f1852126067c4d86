"""No grid of the ledger may become worth less; what has become better is kept by `make ledger KEEP=--keep`."""

import json

import pytest

from tests.core.ledger.worth import KEPT, apart, ends_of, recipes, worse, worth_of

LEDGER = json.loads(KEPT.read_text())


@pytest.mark.slow
@pytest.mark.parametrize("name", recipes())
def test_a_grid_is_worth_what_it_was(name):
    assert worse(LEDGER[name], worth_of(recipes()[name])) == []


#: These need more sweeps than that from one start or the other, or have cells around a pole that are none.
UNSETTLED = {
    "blunt-section-in-a-bow",
    "pole-of-a-disk",
    "section-in-a-cross",
    "wake-behind-0012-blunt",
    "wake-behind-0012-sharp",
    "wake-behind-2412-sharp",
    "wake-behind-4415-blunt",
}


@pytest.mark.slow
@pytest.mark.parametrize("name", sorted(set(recipes()) - UNSETTLED))
def test_a_run_ends_at_the_same_grid_wherever_it_begins(name):
    one, other = ends_of(recipes()[name])
    assert apart(one.grid, other.grid) < 0.01


def test_the_ledger_tells_what_has_fallen_and_has_all_recipes():
    assert set(LEDGER) == set(recipes())
    (some, *_) = LEDGER.values()
    assert worse(some, some) == []
    for key, by in (("smallest_angle", -1.1), ("largest_1", 1.1), ("folded", 1), ("heights_held", -0.02)):
        changed = {state: figures | {key: figures[key] + by} for state, figures in some.items()}
        assert len(worse(some, changed)) == len(some)
        assert worse(changed, some) == []
