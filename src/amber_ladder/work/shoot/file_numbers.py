"""Rungs by the numbers in files' names, which cameras count up: a file that never came leaves its rung empty."""

import re

_MOST_LOST = 30  # numbers that leap farther count something else


class FileNumbers:
    """Which rung each file of a series is for, from the one that ``first`` is; without numbers, the next one each."""

    def __init__(self, first: int) -> None:
        self._next = first
        self._last: int | None = None

    def rung_of(self, name: str) -> tuple[int, int]:
        """The rung of the next file, and how many before it never came."""
        number, lost = _number(name), 0
        if number is not None and self._last is not None and 0 < number - self._last <= _MOST_LOST:
            lost = number - self._last - 1
        rung = self._next + lost
        # The same number again, as of a raw file beside its JPEG, is the same rung once more.
        if number is not None and number == self._last:
            rung = self._next - 1
        self._next, self._last = rung + 1, number
        return rung, lost


def _number(name: str) -> int | None:
    found = re.search(r"(\d+)\D*$", name.rsplit(".", 1)[0])
    return int(found.group(1)) if found else None
