"""Cautions that apply to a specimen and its place: short, and never more than a reminder of who really decides."""

import re
from collections.abc import Callable
from dataclasses import dataclass

DEFER = "A reminder, no instruction: follow data sheets, your local rules, and trained staff."
"""Stands once with every list of cautions."""


@dataclass(frozen=True, slots=True)
class Circumstances:
    """What is known of a specimen and how it is shot; free words, as on the label."""

    kind: str = ""
    name: str = ""
    mount: str = ""
    medium: str = ""
    locality: str = ""
    note: str = ""
    on_rail: bool = True
    flash: bool = True

    def mentions(self, *words: str) -> bool:
        """Whether any of the words begins a word on the label."""
        text = " ".join((self.kind, self.name, self.mount, self.medium, self.locality, self.note)).lower()
        return any(re.search(rf"\b{re.escape(word)}", text) for word in words)


@dataclass(frozen=True, slots=True)
class Caution:
    """A hazard, what it does, and what to do; ``key`` stays the same for the record."""

    key: str
    title: str
    text: str


_FLUIDS = ("alcohol", "ethanol", "formal", "acet", "xylene", "ether", "chloroform", "killing", "isopropanol")
_RULES: tuple[tuple[Callable[[Circumstances], bool], Caution], ...] = (
    (
        lambda c: c.kind == "snow" or c.mentions("snow", "graupel", "frost"),
        Caution("cold", "Cold and wet.", "Frostbite comes unnoticed; wet electronics fail and shock. Warm your hands, keep "
            "mains away from snow."),
    ),
    (
        lambda c: c.kind == "snow" or c.mentions("cyanoacrylate", "superglue"),
        Caution("cyanoacrylate", "Cyanoacrylate, if crystals are fixed with it.", "Its fumes irritate eyes and airways, and "
            "it bonds skin at once. Ventilate, wear eye protection, keep it off cotton."),
    ),
    (
        lambda c: c.mentions(*_FLUIDS),
        Caution("solvents", "Vapours of preservation fluids.", "Flammable, and harmful to breathe. Cap the jar, ventilate, no "
            "flame or hot lamp beside it."),
    ),
    (
        lambda c: c.kind == "insect" and c.mentions("wasp", "bee", "hornet", "ant", "live"),
        Caution("stings", "Stinging or biting insects.", "A live one may sting; some people react badly. Chill it, cover it, "
            "know where help is."),
    ),
    (
        lambda c: c.mentions("pin", "blade", "scalpel", "needle"),
        Caution("sharps", "Fine pins and blades.", "They are easily lost and easily trodden on. Pick them up with forceps, "
            "count them."),
    ),
    (
        lambda c: c.kind == "mineral",
        Caution("minerals", "Minerals may be toxic, radioactive or fibrous.", "Wulfenite and its like hold lead; dust is the "
            "danger. Gloves, no grinding or blowing, wash your hands; licensed handling where it is required."),
    ),
    (
        lambda c: c.mentions("uv", "ultraviolet", "fluoresc"),
        Caution("ultraviolet", "Ultraviolet lamps.", "They burn eyes and skin without being seen. Shield the lamp, wear "
            "goggles made for it."),
    ),
    (
        lambda c: c.flash,
        Caution("flash", "Strong flashes.", "Never fire one close to an eye; ask bystanders whether flicker harms them."),
    ),
    (
        lambda c: c.on_rail,
        Caution("rail", "Motorised rail.", "It pinches fingers and drives an objective into the specimen without noticing. "
            "Set its limits, stay at the stop."),
    ),
    (
        lambda c: c.mentions("wet", "water", "fluid", "alcohol", "glycerol"),
        Caution("mains", "Mains light and wet tables.", "Keep cables and lamps off a table that can get wet, behind a "
            "residual-current device."),
    ),
    (
        lambda c: c.kind in ("plant", "insect") and bool(c.locality),
        Caution("permits", "Collecting.", "Some species and places are protected: a permit belongs with the specimen."),
    ),
)  # fmt: skip


def cautions_for(circumstances: Circumstances) -> tuple[Caution, ...]:
    """Those that apply, gravest first as listed."""
    return tuple(caution for applies, caution in _RULES if applies(circumstances))
