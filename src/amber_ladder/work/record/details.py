"""What stands behind a picture, in words: the full record summed up, and unknown where that knows nothing."""

from collections import Counter
from datetime import datetime, timedelta, timezone
from typing import Any

from amber_ladder.core.fusion import USUAL_WINDOW_PX
from amber_ladder.formats.development_json import DevelopmentJson

NOT_KNOWN = "not known"
WAYS = {
    "select": "depth pick", "pyramid": "pyramid", "blend": "contrast blend", "auto": "auto",
    "tiles": "laying tiles together",
}  # fmt: skip
Line = tuple[str, str]


def details_of(told: dict[str, Any]) -> list[Line]:
    """Lines of a full record (``record``) that its label does not hold; those that say nothing are left away."""
    report, take, merge = told["merge"]["report"], told["take"], told["merge"]
    laid = bool(report.get("laid"))
    parts = ", ".join(str(one) for one in (told["rig"]["parts"] or {}).values() if one)
    lines = [
        ("Put together from", parts or NOT_KNOWN),
        ("Photographed", photographed(take)),
        ("Sharp depth", f"{told['plan']['ladder']['sharp_depth_um']:.3g} µm in the medium"),
        ("Positions", "" if laid else _positions(take["frames"])),
        ("Developed", "" if laid else _developed(told["sorting"])),
        ("Alignment", "" if laid else _aligned(report)),
        ("Settings", _settings(report.get("settings", {}), report.get("gave"))),
        ("Findings", _findings(report)),
        ("Measured", ", ".join(one["name"] for one in told["measured"]) or "nothing"),
        ("Cautions read", ", ".join(one["title"] for one in told["cautions_read"]) or "none"),
        ("Version", f"merged by {merge['version'] or NOT_KNOWN}"),
    ]
    return [(name, words) for name, words in lines if words]


def photographed(take: dict[str, Any]) -> str:
    """When the first frame was exposed, with its time zone, or that nobody knows it.

    Files tell it by the camera's clock; of what was shot at the bench the station knows it.
    """
    first = next((one for one in take["frames"] if one["captured_at"]), None)
    if take["shot_at_bench"]:
        return _moment(datetime.fromisoformat(take["begun_at"]))
    if first is None:
        return NOT_KNOWN
    clock, offset = datetime.fromisoformat(first["captured_at"]), first["captured_offset_min"]
    if offset is None:
        return f"{clock:%Y-%m-%d %H:%M} by the camera's clock, whose zone it does not tell"
    return _moment(clock.replace(tzinfo=timezone(timedelta(minutes=offset))))


def _moment(at: datetime) -> str:
    zone = at.strftime("%z")
    return f"{at:%Y-%m-%d %H:%M} UTC{'' if zone == '+0000' else f'{zone[:3]}:{zone[3:5]}'}"


def _positions(frames: list[dict[str, Any]]) -> str:
    planned = [one for one in frames if one["planned_um"] is not None]
    reported = [one for one in frames if one["reported_um"] is not None]
    if not planned and not reported:
        return NOT_KNOWN
    both = [abs(one["reported_um"] - one["planned_um"]) for one in reported if one["planned_um"] is not None]
    apart = f", at most {max(both):.2g} µm from the plan" if both else ""
    return f"{len(planned)} planned, {len(reported)} reported{apart}"


def _developed(sorting: dict[str, Any] | None) -> str:
    if sorting is None:
        return NOT_KNOWN
    if sorting["development"] is None:
        return "not: frames as they are"
    settings = {name: value for name, value in sorting["development"].items() if name in DevelopmentJson.model_fields}
    one = DevelopmentJson.model_validate(settings)
    place = one.white_balance
    parts = [
        "white balance as shot" if isinstance(place, str) else f"white balance from a grey place in {place.file}",
        f"exposure {one.exposure_stops:+g} stops" if one.exposure_stops else "",
        f"black {one.black:g}" if one.black else "",
        f"highlights {one.highlights:+g}" if one.highlights else "",
        f"shadows {one.shadows:+g}" if one.shadows else "",
        "for a display" if one.tone == "display" else "linear",
    ]
    return ", ".join(part for part in parts if part)


def _aligned(report: dict[str, Any]) -> str:
    unsure = [one["u_px"] for one in report["registration"] if one.get("u_px") is not None]
    parts = [
        f"no frame less sure than ± {2 * max(unsure):.2g} px (k = 2) at the corners"
        if unsure
        else "how sure is not known"
    ]
    growth = report.get("growth") or {}
    if growth.get("per_mm"):
        parts.append(f"the picture grows by {100 * growth['per_mm']:+.3f} % a mm")
    gains = [one["gain"] for one in report["registration"] if "gain" in one]
    if gains:
        parts.append(f"brightness evened by up to {100 * max(abs(one - 1.0) for one in gains):.2f} %")
    return ", ".join(parts)


def _settings(settings: dict[str, Any], gave: dict[str, float] | None) -> str:
    near, far = settings.get("sharp_near_um"), settings.get("sharp_far_um")
    parts = [
        *(f"{WAYS[name]} on {100 * share:.0f} %" for name, share in (gave or {}).items() if share < 1.0),
        f"window {settings['window_px']:g} px" if settings.get("window_px", USUAL_WINDOW_PX) != USUAL_WINDOW_PX else "",
        f"calm {settings['calm']:g}" if settings.get("calm") else "",
        f"sharp from {near or 0:g} to {'the end' if far is None else f'{far:g}'} µm"
        if near is not None or far is not None else "",
        f"what moved from the {settings['moved']} side" if settings.get("moved", "auto") != "auto" else "",
    ]  # fmt: skip
    return ", ".join(part for part in parts if part) or "the usual ones"


def _findings(report: dict[str, Any]) -> str:
    if "findings" not in report:
        return "not looked for by the version that merged it"
    counts = Counter(one["kind"] for one in report["findings"])
    return ", ".join(f"{count} × {kind}" for kind, count in counts.items()) or "none"
