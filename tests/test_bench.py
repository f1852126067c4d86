"""The bench runs whole; here on small sizes, where no limit is held."""

import os
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]


@pytest.mark.slow
def test_the_bench_runs_whole_on_small_sizes():
    here = dict(os.environ) | {"PYTHONPATH": str(ROOT)}
    done = subprocess.run(
        [sys.executable, "bench/bench.py", "--quick"], cwd=ROOT, env=here, capture_output=True, text=True
    )
    assert done.returncode == 0, done.stderr
    assert "peak memory of this run" in done.stdout  # the last of its lines
