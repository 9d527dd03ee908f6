"""How sharp each place of each frame is, and where each place was sharpest."""

from amber_ladder.core.focus._ends import Ends, EndsFinder
from amber_ladder.core.focus._in_focus import InFocus, in_focus
from amber_ladder.core.focus._measure import focus_energy
from amber_ladder.core.focus._peak import Peaks, PeakTracker
from amber_ladder.core.focus._wide import WIDE, wide_energy, widened

__all__ = [
    "WIDE",
    "Ends",
    "EndsFinder",
    "InFocus",
    "PeakTracker",
    "Peaks",
    "focus_energy",
    "in_focus",
    "wide_energy",
    "widened",
]
