"""Record: the label and everything behind it, in open formats."""

from amber_ladder.work.record.records import RecordView, history, label, png, record, tiff

__all__ = ["RecordView", "history", "label", "png", "record", "tiff"]
