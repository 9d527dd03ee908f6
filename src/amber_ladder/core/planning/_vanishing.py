"""How long a snow crystal keeps its shape: a small model for planning, no forecast.

Below freezing it sublimates, by diffusion of vapour and of heat: r dr/dt = −(1 − S) / (ρ (F_k + F_d)). Source:
Pruppacher & Klett, *Microphysics of Clouds and Precipitation*, 13.3; saturation pressures after Murray (1967). Above
freezing (of the wet bulb) heat flows in and melts it: r dr/dt = −(K ΔT + L_v D Δρ) / (ρ L_f), ibid. 16.3.

Limits: a ball of ice in still air, without lamp, breath, or a warm slide. Thin arms go several times sooner.
"""

from dataclasses import dataclass
from math import exp
from typing import Literal

from amber_ladder.errors import BadInput

_R_VAPOUR = 461.5  # J/(kg K), gas constant of water vapour
_L_SUBLIMATION = 2.834e6  # J/kg
_L_VAPORISATION = 2.501e6  # J/kg
_L_FUSION = 3.34e5  # J/kg
_ICE_KG_M3 = 917.0
_FREEZING_K = 273.15
LIMITS = "A ball of ice in still air, no lamp, no breath, no warm slide; thin arms go several times sooner."
SOURCE = "diffusion of vapour and heat: Pruppacher & Klett, Microphysics of Clouds and Precipitation, 13.3 and 16.3"


@dataclass(frozen=True, slots=True)
class Vanishing:
    """Seconds until the edge has moved by the allowed distance; None where the crystal does not shrink.

    ``edge`` pairs seconds with how far the edge has moved by then, µm, to twice the allowed distance.
    """

    seconds: float | None
    how: Literal["sublimates", "melts", "keeps"]
    edge: tuple[tuple[float, float], ...] = ()


def time_to_shrink(*, air_celsius: float, humidity: float, size_um: float, allowed_um: float) -> Vanishing:
    """For a crystal ``size_um`` across in air of a relative humidity (over water, 0 to 1). Raises BadInput."""
    if not -60.0 <= air_celsius <= 30.0:
        raise BadInput(f"an air temperature of {air_celsius:g} °C is outside −60 to 30 °C", field="air_celsius")
    if not 0.0 <= humidity <= 1.0:
        raise BadInput("relative humidity is between 0 and 1", field="humidity")
    if not 0.0 < allowed_um < size_um / 2:
        raise BadInput("the shrinkage that is allowed must be less than half the crystal", field="allowed_um")
    radius, allowed = size_um * 0.5e-6, allowed_um * 1e-6
    rate = _melting(air_celsius, humidity)
    how: Literal["sublimates", "melts", "keeps"] = "melts"
    if rate <= 0.0:
        rate, how = _sublimation(min(air_celsius, 0.0), humidity, air_celsius), "sublimates"
    if rate <= 0.0:
        return Vanishing(None, "keeps")

    def after_s(moved: float) -> float:
        # r dr/dt = −rate, so r² falls evenly.
        return (radius**2 - (radius - moved) ** 2) / (2.0 * rate)

    moves = [min(2.0 * allowed, radius) * place / 30.0 for place in range(31)]
    return Vanishing(after_s(allowed), how, tuple((after_s(moved), moved * 1e6) for moved in moves))


def _sublimation(ice_celsius: float, humidity: float, air_celsius: float) -> float:
    kelvin = ice_celsius + _FREEZING_K
    saturation = humidity * _over_water_pa(air_celsius) / _over_ice_pa(ice_celsius)
    by_heat = (_L_SUBLIMATION / (_R_VAPOUR * kelvin) - 1.0) * _L_SUBLIMATION / (_conductivity(ice_celsius) * kelvin)
    by_vapour = _R_VAPOUR * kelvin / (_diffusivity(ice_celsius) * _over_ice_pa(ice_celsius))
    return float((1.0 - saturation) / (_ICE_KG_M3 * (by_heat + by_vapour)))


def _melting(celsius: float, humidity: float) -> float:
    """Zero or less while evaporation keeps the surface frozen."""
    if celsius <= 0.0:
        return 0.0
    vapour = humidity * _over_water_pa(celsius) / (_R_VAPOUR * (celsius + _FREEZING_K))
    at_surface = _over_water_pa(0.0) / (_R_VAPOUR * _FREEZING_K)
    heat = _conductivity(celsius) * celsius + _L_VAPORISATION * _diffusivity(celsius) * (vapour - at_surface)
    return heat / (_ICE_KG_M3 * _L_FUSION)


def _over_water_pa(celsius: float) -> float:
    return 610.78 * exp(17.2694 * celsius / (celsius + 237.3))


def _over_ice_pa(celsius: float) -> float:
    return 610.78 * exp(21.8746 * celsius / (celsius + 265.5))


def _conductivity(celsius: float) -> float:
    """Of air, W/(m K)."""
    return 0.0243 + 7.1e-5 * celsius


def _diffusivity(celsius: float) -> float:
    """Of water vapour in air at sea level, m²/s."""
    return float(2.11e-5 * ((celsius + _FREEZING_K) / _FREEZING_K) ** 1.94)
