"""Devices of the bench: what is asked of them, the rail over lines of G-code, the watched folder."""
