"""How sharp each place of each frame is, and where each place was sharpest."""

from amber_ladder.core.focus._measure import focus_energy
from amber_ladder.core.focus._peak import Peaks, PeakTracker

__all__ = ["PeakTracker", "Peaks", "focus_energy"]
