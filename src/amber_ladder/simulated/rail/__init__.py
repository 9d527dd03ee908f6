"""The simulated rail, a process of its own: its mechanics, the line it is spoken to, and the eye that sees the truth.

Apart from the simulated optics, so that the process starts at once.
"""
