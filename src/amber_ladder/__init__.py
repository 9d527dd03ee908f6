"""Amber Ladder: plans, shoots, merges and records focus stacks of small specimens."""

import os

from amber_ladder.compiled import keep_apart

__version__ = "0.1.0"

keep_apart()
# Threads of a kernel that has ended sleep: spinning, they take the processor from those that decode the next frame.
os.environ.setdefault("OMP_WAIT_POLICY", "passive")
