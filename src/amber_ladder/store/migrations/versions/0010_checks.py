"""What the database itself refuses, and indexes for what is joined."""

from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

INDEXED = (
    ("stack", "rig_id"),
    ("take", "task_id"),
    ("calibration", "task_id"),
    ("product", "parent_id"),
    ("product", "sorting_id"),
    ("product", "task_id"),
)
CHECKS = {
    "specimen": {
        "named": "catalogue_number <> '' and name <> '' and kind <> ''",
        "medium_index": "medium_index between 1 and 3",
        "width": "width_mm > 0 and width_mm <= 1000",
        "height": "height_mm > 0 and height_mm <= 1000",
        "depth": "depth_mm > 0 and depth_mm <= 1000",
        "revision": "revision >= 1",
    },
    "part": {
        "named": "name <> ''",
        "kind": "kind in ('body', 'lens', 'objective', 'tube', 'rail', 'light')",
        "revision": "revision >= 1",
    },
    "rig": {
        "named": "name <> ''",
        "version": "version >= 1",
        "flash_power": "flash_power > 0 and flash_power <= 1",
    },
    "rig_version": {
        "number": "number >= 1",
    },
    "calibration": {
        "kind": "kind in ('scale', 'focus_units')",
    },
    "stack": {
        "number": "number >= 1",
        "revision": "revision >= 1",
    },
    "take": {
        "number": "number >= 1",
        "source": "source in ('bench', 'files', 'folder')",
    },
    "frame": {
        "place": "place >= 0",
        "sha256": "sha256 ~ '^[0-9a-f]{64}$'",
        "suffix": "suffix in ('.jpg', '.png', '.tif')",
        "picture": "bytes > 0 and width_px > 0 and height_px > 0 and bits in (8, 16)",
        "rung": "rung >= 0",
    },
    "task": {
        "progress": "done >= 0 and total >= 0",
    },
    "product": {
        "number": "number >= 1",
    },
}


def upgrade() -> None:
    for table, column in INDEXED:
        op.create_index(f"ix_{table}_{column}", table, [column])
    for table, conditions in CHECKS.items():
        for name, condition in conditions.items():
            op.create_check_constraint(f"{table}_{name}", table, condition)


def downgrade() -> None:
    for table, conditions in CHECKS.items():
        for name in conditions:
            op.drop_constraint(f"{table}_{name}", table, type_="check")
    for table, column in INDEXED:
        op.drop_index(f"ix_{table}_{column}", table_name=table)
