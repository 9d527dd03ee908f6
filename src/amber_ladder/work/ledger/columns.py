"""The ledger's columns: what each is called, in which unit, and whether it stands there unasked."""

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True, slots=True)
class Column:
    """``kind`` tells how it is written; ``shown`` whether it stands in the table before anybody chose."""

    key: str
    label: str
    unit: str
    kind: Literal["text", "number", "count", "share", "time", "duration"]
    shown: bool = False


COLUMNS = (
    Column("catalogue_number", "Specimen", "", "text", shown=True),
    Column("name", "Name", "", "text"),
    Column("specimen_kind", "Kind", "", "text"),
    Column("stack_number", "Stack", "", "count"),
    Column("take_number", "Take", "", "count"),
    Column("rig_name", "Rig", "", "text", shown=True),
    Column("medium", "Lies in", "", "text"),
    Column("magnification", "Magnification", "×", "number"),
    Column("effective_f_number", "Effective aperture", "f/", "number", shown=True),
    Column("numerical_aperture", "NA", "", "number"),
    Column("detail_um", "Detail", "µm", "number"),
    Column("sharp_um", "Sharp depth", "µm", "number"),
    Column("step_in_medium_um", "Step in the medium", "µm", "number", shown=True),
    Column("step_ratio", "Step over sharp depth", "", "share"),
    Column("step_planned_um", "Step planned (stage)", "µm", "number"),
    Column("step_um", "Step (stage)", "µm", "number"),
    Column("overlap", "Overlap", "", "share"),
    Column("frames_planned", "Frames planned", "", "count"),
    Column("frames_shot", "Frames shot", "", "count"),
    Column("frames_used", "Frames used", "", "count", shown=True),
    Column("frames_carried", "Frames that carried", "", "count"),
    Column("spare_used", "Spare rungs that carried", "", "count"),
    Column("frames_left_out", "Left out", "", "count"),
    Column("depth_um", "Depth", "µm", "number"),
    Column("um_per_px", "Scale", "µm/px", "number", shown=True),
    Column("u_um_per_px", "Scale, standard uncertainty", "µm/px", "number"),
    Column("scale_from", "Scale from", "", "text"),
    Column("method", "Merged by", "", "text"),
    Column("merge_number", "Merge", "", "count"),
    Column("gaps", "Gaps", "", "count"),
    Column("ends_open", "Ends not reached", "", "count"),
    Column("moved", "Places that moved", "", "count"),
    Column("findings", "To look at", "", "count"),
    Column("mended_share", "Mended", "", "share"),
    Column("measures", "Measures", "", "count"),
    Column("shot_with", "Shot with", "", "text"),
    Column("light", "Light", "", "text"),
    Column("seconds", "Shooting and merging", "", "duration"),
    Column("planned_at", "Planned", "", "time"),
    Column("shot_at", "Shot", "", "time"),
    Column("merged_at", "Merged", "", "time"),
)
BY_KEY = {one.key: one for one in COLUMNS}
