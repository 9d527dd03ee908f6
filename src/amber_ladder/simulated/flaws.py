"""The faults that can be switched on for practice."""

from dataclasses import dataclass, field
from typing import Any

from amber_ladder.errors import BadInput


@dataclass(frozen=True, slots=True)
class Flaw:
    """A fault: what it is called, and what it changes in the bench (Wobble), the rail (Build), the specimen,

    the hand on a knob (HandHabits), or a body that brackets by itself (BodyHabits).
    """

    key: str
    name: str
    wobble: dict[str, float] = field(default_factory=dict)
    rail: dict[str, Any] = field(default_factory=dict)
    specimen: str | None = None
    hand: dict[str, float] = field(default_factory=dict)
    body: dict[str, Any] = field(default_factory=dict)

    @property
    def at_the_bench(self) -> bool:
        """Whether it needs the rail or the flash in real time, as only a run at the bench has them."""
        return bool(self.rail or self.hand or self.body) or "tired" in self.wobble


FLAWS: dict[str, Flaw] = {
    flaw.key: flaw
    for flaw in (
        Flaw("flicker", "Light that flickers", {"flicker": 0.12}),
        Flaw("tired-flash", "Flash slower than it says", {"tired": 3.0}),
        Flaw("room-light", "Room light left on", {"room_stops": -3.0}),
        Flaw("noise", "High sensitivity, much noise", {"full_well": 1500.0}),
        Flaw("hot-pixels", "Hot pixels", {"hot_pixels": 60}),
        Flaw("dust", "Dust on the sensor", {"dust": 14}),
        Flaw("drift", "Stand that drifts and turns", {"drift_px": 3.0, "turn_deg": 0.05}),
        Flaw("breathing", "Picture grows with focus", {"breathing_per_mm": 0.05}),
        Flaw("coarse-clicks", "Rail with coarse clicks", rail={"click_um": 10.0}),
        Flaw("backlash", "Rail with much play", rail={"backlash_um": 200.0}),
        Flaw("shaking", "Shaking that lasts", rail={"shake_um": 30.0, "shake_dies_s": 0.9}),
        Flaw("slow-rail", "Slow rail", rail={"acceleration_um_s2": 400.0}),
        Flaw("silence", "Rail falls silent", rail={"trouble": "silence"}),
        Flaw("garbage", "Rail's line is garbled", rail={"trouble": "garbage"}),
        Flaw("passes-over", "Hand that turns past rungs", hand={"passes_over": 0.08}),
        Flaw("forgets", "Hand that forgets to turn", hand={"forgets": 0.08}),
        Flaw("stops-early", "Body that stops before the end", body={"ends_after": 0.7}),
        Flaw("goes-on", "Body that shoots past the end", body={"more": 3}),
        Flaw("loses-a-file", "File of the body that never arrives", body={"loses": 4}),
        Flaw("shrinks", "Snow that shrinks", specimen="shrinks"),
        Flaw("twitches", "Antenna that twitches", specimen="twitches"),
        Flaw("wilts", "Plant that wilts", specimen="wilts"),
    )
}


def chosen_flaws(keys: list[str] | tuple[str, ...]) -> list[Flaw]:
    """The flaws of these names. Raises BadInput for one that does not exist."""
    for key in keys:
        if key not in FLAWS:
            raise BadInput(f"no flaw is called {key!r}: choose from {', '.join(FLAWS)}", field="flaw")
    return [FLAWS[key] for key in keys]
