"""How sharp each place of each frame is, and where each place was sharpest."""

from amber_ladder.core.focus._ends import Ends, EndsFinder
from amber_ladder.core.focus._in_focus import InFocus, in_focus
from amber_ladder.core.focus._measure import focus_energy
from amber_ladder.core.focus._peak import Peaks, PeakTracker

__all__ = ["Ends", "EndsFinder", "InFocus", "PeakTracker", "Peaks", "focus_energy", "in_focus"]
