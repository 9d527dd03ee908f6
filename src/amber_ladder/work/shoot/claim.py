"""Who works at the bench, where several people can: one gives orders, the others look on, ask, or take over."""

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated

from pydantic import StringConstraints

from amber_ladder.errors import Conflict
from amber_ladder.formats.rig_json import Strict
from amber_ladder.store.base import PERSON, now

_LAPSES_S = 600.0
"""So long without an order, with nothing going on, and the bench is anybody's again."""


class ClaimEntry(Strict):
    """A word to the one who has the bench: why it is taken over."""

    word: Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)] = ""


@dataclass(frozen=True, slots=True)
class ClaimView:
    """Who has the bench since when, and whether that is the one who asks; who would like to have it; and the word with

    which it was taken over.
    """

    by: str
    mine: bool
    since: datetime
    asked_by: str | None
    word: str


class Claim:
    """At most one person's. On a station without accounts everybody is the same person, and there is no claim.

    ``working`` says whether something goes on at the bench; ``told`` is called when the claim changes.
    """

    def __init__(self, *, working: Callable[[], bool], told: Callable[[], None]) -> None:
        self._lock = threading.Lock()
        self._working, self._told = working, told
        self._by: str | None = None
        self._since = now()
        self._used = 0.0
        self._asked_by: str | None = None
        self._word = ""

    def view(self) -> ClaimView | None:
        """Who has the bench, None for nobody."""
        with self._lock:
            if self._free():
                return None
            assert self._by is not None
            return ClaimView(self._by, self._by == PERSON.get(), self._since, self._asked_by, self._word)

    def refuse_others(self) -> None:
        """Raises Conflict while somebody else has the bench."""
        with self._lock:
            self._refuse_others(PERSON.get())

    def check(self) -> None:
        """Before an order: the bench is one's own, or becomes it. Raises Conflict while somebody else has it."""
        person = PERSON.get()
        if person is None:
            return
        with self._lock:
            self._refuse_others(person)
            changed = self._by != person
            if changed:
                self._give(person, "")
            self._used = time.monotonic()
        if changed:
            self._told()

    def ask(self) -> None:
        """Let the one who has the bench know that somebody would like to have it."""
        with self._lock:
            self._asked_by = PERSON.get()
        self._told()

    def take_over(self, entry: ClaimEntry) -> None:
        """Take the bench, from somebody else with a word. Raises Conflict without one."""
        person = PERSON.get()
        if person is None:
            return
        with self._lock:
            others = self._by not in (None, person) and not self._free()
            if others and not entry.word:
                raise Conflict(f"{self._by} has the bench: say a word why you take it over")
            self._give(person, f"{person} took over from {self._by}: {entry.word}" if others else "")
        self._told()

    def give_up(self) -> None:
        """One's own claim ends; somebody else's stays."""
        with self._lock:
            if self._by == PERSON.get():
                self._by = self._asked_by = None
        self._told()

    def _refuse_others(self, person: str | None) -> None:
        if person is not None and self._by != person and not self._free():
            raise Conflict(
                f"{self._by} has the bench since {self._since.astimezone():%H:%M}: ask for it, or take it over"
            )

    def _give(self, person: str, word: str) -> None:
        self._by, self._since, self._used, self._word = person, now(), time.monotonic(), word
        self._asked_by = None

    def _free(self) -> bool:
        return self._by is None or (time.monotonic() - self._used > _LAPSES_S and not self._working())
