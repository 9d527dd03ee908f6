"""How far an answer is from the truth: from what was answered, what is so, and what the program would have said."""

from amber_ladder.core.practice._verdict import Figure, Verdict, closeness, marked, overall

__all__ = ["Figure", "Verdict", "closeness", "marked", "overall"]
