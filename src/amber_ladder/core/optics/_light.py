"""How the flash must change from one rig to another, in stops and in the fractions that are engraved on it."""

from dataclasses import dataclass
from math import log2

from amber_ladder.core.optics._formulas import flash_stops

_FULL, _SMALLEST = 1.0, 1.0 / 256.0
_THIRDS = 3  # flashes are set in thirds of a stop


@dataclass(frozen=True, slots=True)
class FlashChange:
    """``stops`` more (or fewer, when negative) power; ``power`` as a fraction of full, ``None`` out of reach.

    ``setting`` is what is read on the flash: a power of two and thirds of a stop above it. ``missing_stops`` is
    what the flash cannot give: more light, a higher sensitivity, or a wider aperture must.
    """

    stops: float
    power: float | None
    setting: str
    missing_stops: float


def flash_change(effective_f_number_before: float, effective_f_number_after: float, power_before: float) -> FlashChange:
    """The flash for another rig, from the power that was right before (1 is full power, 0.125 is 1/8)."""
    return flash_changed_by(flash_stops(effective_f_number_before, effective_f_number_after), power_before)


def flash_changed_by(stops: float, power_before: float) -> FlashChange:
    """The flash with so many stops more power (fewer, when negative)."""
    wanted = power_before * 2.0**stops
    if wanted > _FULL * 1.0001:
        return FlashChange(stops, None, "beyond full power", log2(wanted / _FULL))
    if wanted < _SMALLEST * 0.9999:
        return FlashChange(stops, None, "below the smallest power", log2(wanted / _SMALLEST))
    return FlashChange(stops, wanted, power_setting(wanted), 0.0)


def power_by_meter(
    metered_f_number: float,
    power: float,
    effective_f_number: float,
    *,
    metered_iso: float = 100.0,
    camera_iso: float = 100.0,
    taken_stops: float = 0.0,
) -> FlashChange:
    """The flash for a rig, from a flash meter's reading beside the specimen (incident light).

    The meter read ``metered_f_number`` at sensitivity ``metered_iso``, with the flash at ``power`` (1 is full). The
    light that reaches the sensor goes with the square of the rig's effective f-number (ISO 2720: a reading holds for a
    lens at infinity, where that is the engraved one); ``taken_stops`` is what filters in the rig take besides.
    """
    stops = flash_stops(metered_f_number, effective_f_number) + log2(metered_iso / camera_iso) + taken_stops
    return flash_changed_by(stops, power)


def power_setting(power: float) -> str:
    """A power as engraved: 1/8, or 1/16 + 2/3 for what lies between, to the nearest third of a stop."""
    thirds = round(-log2(power) * _THIRDS)
    whole, above = -(-thirds // _THIRDS), -thirds % _THIRDS
    engraved = "1/1" if whole == 0 else f"1/{2**whole}"
    return engraved if above == 0 else f"{engraved} + {above}/3"
