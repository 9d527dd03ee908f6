"""The heart: arithmetic and image computation on plain arrays and frozen values.

Nothing in here reads a file, a clock, a database or the network.
"""
