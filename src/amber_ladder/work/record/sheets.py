"""The record of a merge on paper."""

from typing import Any

from amber_ladder import __version__
from amber_ladder.formats.record_sheet import MeasuredLine, RecordSheet, inline_picture, record_sheet_pdf, shared_rungs
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.work.record.barred import picture
from amber_ladder.work.record.details import NOT_KNOWN, WAYS, details_of
from amber_ladder.work.record.records import label_of, record, scale_in_words
from amber_ladder.work.record.rights import Rights, rights_of

_MOST_HISTORY = 40


def record_sheet(merge_id: int) -> tuple[bytes, str]:
    """The record as PDF, and the name to save it under. Raises NotFound."""
    told, _ = record(merge_id)
    with transaction(steady=True) as session:
        merge = stacks.get_product(session, merge_id, "merge")
        shown, rights = label_of(merge), rights_of(session, merge.take.stack_id)
    specimen, report = told["specimen"], told["merge"]["report"]
    under = [specimen["kind"], specimen["mount"], f"in {specimen['medium']}", specimen["locality"]]
    shares, words = _shares(told)
    last = told["history"][-1] if told["history"] else None
    sheet = RecordSheet(
        number=specimen["catalogue_number"],
        name=specimen["name"],
        under=", ".join(filter(None, under)),
        picture=inline_picture(picture(merge_id, "jpg")[0]),
        facts=_facts(told, scale_in_words(shown), rights),
        rungs=shared_rungs(shares),
        ladder_words=words,
        measures=[_measured(one) for one in told["measured"]],
        history=[(one["at"][:16].replace("T", " "), one["by"] or "", one["words"])
                 for one in told["history"][-_MOST_HISTORY:]],
        sums=f"Written by Amber Ladder {__version__}; merged by {told['merge']['version'] or NOT_KNOWN}, "
             + ("the originals are named in the records of its tiles." if report.get("laid") else
                f"{len(report['frames_used'])} originals under their SHA-256 in the full record.")
             + (f" The history's last entry is {last['number']}, {last['sha256']}." if last else ""),
    )  # fmt: skip
    return record_sheet_pdf(sheet, pages=settings().pages), f"{shown.file_stem}_record.pdf"


def _facts(told: dict[str, Any], scale: str, rights: Rights) -> list[tuple[str, str]]:
    specimen, rig, merge, series = told["specimen"], told["rig"], told["merge"], told["take"]["series"]
    report = merge["report"]
    figures = {one["key"]: one["values"][0] for one in rig["figures"]}
    parts = ", ".join(str(one) for one in (rig["parts"] or {}).values() if one)
    depth, details = report.get("depth_um"), dict(details_of(told))
    excluded = report.get("excluded", [])
    rows = [
        ("Rig", f"{rig['name']}, version {rig['version']}"),
        ("Put together from", parts),
        ("Magnification, NA", f"{figures['magnification']:.3g}×, {figures['numerical_aperture']:.3g}"),
        ("Effective aperture", f"f/{figures['effective_f_number']:.3g}"),
        ("Shot with", told["take"]["source"]),
        ("Step", f"{series['step_um']:.4g} µm of the stage, as {series['depth_from']}"
                 if series["step_um"] and series["depth_from"] else NOT_KNOWN),
        ("Tiles", str(len(report["registration"])) if report.get("laid") else ""),
        ("Frames", "" if report.get("laid") else
                   f"{len(told['take']['frames'])} shot, {len(report['frames_used'])} used, {len(excluded)} left out"),
        ("Left out", "; ".join(f"{one['file']} {one['reason']}" for one in excluded[:12])
                     + (f"; and {len(excluded) - 12} more" if len(excluded) > 12 else "")),
        ("Sharp depth", details["Sharp depth"]),
        ("Developed", details.get("Developed", "")),
        ("Depth", NOT_KNOWN if depth is None else f"{depth:.1f} µm"),
        ("Scale", scale.removeprefix("scale ")),
        ("Merged by", f"{WAYS[report['method']]}, run {merge['number']} of take {told['take']['number']}"),
        ("To look at", " ".join(report.get("warnings", []))),
        ("Mended", "; ".join(f"{one['name']}, {one['steps']} steps, {one['not_evidence']:.2%} from elsewhere"
                             for one in told["mended"]) or "nothing"),
        ("Collected", ", ".join(filter(None, (specimen["collector"], specimen["collected_on"])))),
        ("Determined", ", ".join(filter(None, (specimen["determination"], specimen["determined_by"],
                                               specimen["determined_on"])))),
        ("Photographed", ", ".join(filter(None, (details["Photographed"], rights.photographer)))),
        ("Rights", ", ".join(filter(None, (rights.rights_holder, rights.licence)))),
    ]  # fmt: skip
    return [(name, value) for name, value in rows if value]


def _shares(told: dict[str, Any]) -> tuple[list[float | None], str]:
    """Each frame's share of the picture, nearest first; None for those that were left out."""
    report = told["merge"]["report"]
    if report.get("laid"):
        return [], "Which frames gave what stands in the records of the tiles."
    used = report["frames_used"]
    shares: list[float | None] = [report["share"].get(name, 0.0) for name in used]
    left = len(report.get("excluded", []))
    order = "nearest on top" if told["take"]["series"]["depth_from"] else "in the order in which they were merged"
    longest = max((one for one in shares if one), default=0.0)
    words = f"Share of the picture of {len(used)} frames, {order}; the longest bar is {longest:.1%}."
    return shares, words + (f" {left} left out." if left else "")


def _measured(one: dict[str, Any]) -> MeasuredLine:
    told = one["told"]
    if told["value"] is None:
        return MeasuredLine(one["name"], NOT_KNOWN, told["message"] or "")
    u = f" ± {told['expanded']:.2g}" if told["expanded"] else ""
    return MeasuredLine(
        one["name"], f"{told['value']:.5g}{u} {told['unit']} (k = {told['k']:.2g})", "; ".join(told["notes"])
    )
