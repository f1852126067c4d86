"""Plodek: block-structured hexahedral grids for flow computations."""

import os

# Threads that wait for others must not spin: beside another process that works, as a server's worker or a
# solver, kernels would take three times as long. Read when the first kernel runs on several threads.
os.environ.setdefault("OMP_WAIT_POLICY", "passive")
