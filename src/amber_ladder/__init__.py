"""Amber Ladder: plans, shoots, merges and records focus stacks of small specimens."""

from amber_ladder.compiled import keep_apart

__version__ = "0.1.0"

keep_apart()
