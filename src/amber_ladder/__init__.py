"""Amber Ladder: plans, shoots, merges and records focus stacks of small specimens."""

__version__ = "0.1.0"
