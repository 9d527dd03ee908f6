"""Record: the label and everything behind it, in open formats, and packed with the originals."""

from amber_ladder.work.record.barred import BarEntry, picture, preview
from amber_ladder.work.record.before_after import before_and_after
from amber_ladder.work.record.bringing import (
    BRINGING,
    GOING_THROUGH,
    BringEntry,
    DeliveryView,
    PackageTried,
    bring_package,
    read_delivery,
    receive_package,
    remove_deliveries,
)
from amber_ladder.work.record.packages import PACKING, PackageView, begin_package, package_file, packages
from amber_ladder.work.record.records import RecordView, label, record, tiff, whole
from amber_ladder.work.record.rights import Rights, read_rights, set_rights
from amber_ladder.work.record.sheets import record_sheet
from amber_ladder.work.record.web_site import web_site

__all__ = [
    "BRINGING",
    "GOING_THROUGH",
    "PACKING",
    "BarEntry",
    "BringEntry",
    "DeliveryView",
    "PackageTried",
    "PackageView",
    "RecordView",
    "Rights",
    "before_and_after",
    "begin_package",
    "bring_package",
    "label",
    "package_file",
    "packages",
    "picture",
    "preview",
    "read_delivery",
    "read_rights",
    "receive_package",
    "record",
    "record_sheet",
    "remove_deliveries",
    "set_rights",
    "tiff",
    "web_site",
    "whole",
]
