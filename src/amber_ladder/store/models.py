"""The tables of the job: specimens, rigs, stacks, takes, and what is made of them."""

from datetime import datetime
from typing import Any, ClassVar

from sqlalchemy import BigInteger, CheckConstraint, DateTime, ForeignKey, Index, String, UniqueConstraint, func, select
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, column_property, mapped_column, relationship

from amber_ladder.store.base import PERSON, Base, checks, now, unique_among_kept
from amber_ladder.store.journal_models import Discardable
from amber_ladder.store.tile_models import TileSet


class Specimen(Discardable, Base):
    """One labelled thing that is photographed. Dates are as exact as they are known: 2026, 2026-11 or 2026-11-28."""

    __tablename__ = "specimen"
    __table_args__ = (
        unique_among_kept("specimen_number", "catalogue_number"),
        *checks(
            "specimen",
            named="catalogue_number <> '' and name <> '' and kind <> ''",
            medium_index="medium_index between 1 and 3",
            medium_tolerance="medium_tolerance >= 0 and medium_tolerance <= 0.5",
            width="width_mm > 0 and width_mm <= 1000",
            height="height_mm > 0 and height_mm <= 1000",
            depth="depth_mm > 0 and depth_mm <= 1000",
            latitude="latitude between -90 and 90",
            longitude="longitude between -180 and 180",
            place_within_m="place_within_m > 0",
            revision="revision >= 1",
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    catalogue_number: Mapped[str] = mapped_column(String(60))
    name: Mapped[str] = mapped_column(String(200))
    kind: Mapped[str] = mapped_column(String(60), index=True)
    mount: Mapped[str] = mapped_column(String(200), default="")
    medium: Mapped[str] = mapped_column(String(100), default="air")
    medium_index: Mapped[float] = mapped_column(default=1.0)
    medium_tolerance: Mapped[float | None]
    locality: Mapped[str] = mapped_column(String(300), default="")
    latitude: Mapped[float | None]
    longitude: Mapped[float | None]
    place_within_m: Mapped[float | None]
    collector: Mapped[str] = mapped_column(String(200), default="")
    collected_on: Mapped[str] = mapped_column(String(10), default="")
    determination: Mapped[str] = mapped_column(String(200), default="")
    determined_by: Mapped[str] = mapped_column(String(200), default="")
    determined_on: Mapped[str] = mapped_column(String(10), default="")
    note: Mapped[str] = mapped_column(String(4000), default="")
    width_mm: Mapped[float | None]
    height_mm: Mapped[float | None]
    depth_mm: Mapped[float | None]
    revision: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(default=now)

    stacks: Mapped[list["Stack"]] = relationship(back_populates="specimen", order_by="Stack.number")


class Part(Discardable, Base):
    """A body, lens, objective, tube, rail or light on the shelf, from which rigs are put together."""

    __tablename__ = "part"
    __table_args__ = (
        unique_among_kept("part_name", "kind", "name"),
        *checks(
            "part",
            named="name <> ''",
            kind="kind in ('body', 'lens', 'objective', 'tube', 'rail', 'light')",
            revision="revision >= 1",
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    name: Mapped[str] = mapped_column(String(120))
    definition: Mapped[dict[str, Any]]
    revision: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(default=now)


class Rig(Discardable, Base):
    """An optical train on a sensor, as it is set up now. Stacks keep copies.

    ``parts`` names what it was put together from, by kind. The rig with the latest ``on_bench_at`` is the one on the
    bench, with the flash at ``flash_power`` (1 is full power).
    """

    __tablename__ = "rig"
    __table_args__ = (
        unique_among_kept("rig_name", "name"),
        *checks("rig", named="name <> ''", version="version >= 1", flash_power="flash_power > 0 and flash_power <= 1"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    definition: Mapped[dict[str, Any]]
    parts: Mapped[dict[str, Any]] = mapped_column(default=dict)
    version: Mapped[int] = mapped_column(default=1)
    on_bench_at: Mapped[datetime | None]
    flash_power: Mapped[float | None]
    created_at: Mapped[datetime] = mapped_column(default=now)
    updated_at: Mapped[datetime] = mapped_column(default=now, onupdate=now)

    versions: Mapped[list["RigVersion"]] = relationship(order_by="RigVersion.number")
    calibrations: Mapped[list["Calibration"]] = relationship(order_by="Calibration.id", back_populates="rig")


class RigVersion(Base):
    """A rig as it was from one change to the next; none is ever altered."""

    __tablename__ = "rig_version"
    __table_args__ = (
        UniqueConstraint("rig_id", "number"),
        *checks("rig_version", number="number >= 1"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"))
    number: Mapped[int]
    name: Mapped[str] = mapped_column(String(120))
    definition: Mapped[dict[str, Any]]
    parts: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime] = mapped_column(default=now)


class Calibration(Discardable, Base):
    """A measurement of a rig: its scale, or the focus travel of a body's units. ``pictures`` name stored originals.

    One that was set aside stays, and counts no more.
    """

    __tablename__ = "calibration"
    __table_args__ = (*checks("calibration", kind="kind in ('scale', 'focus_units')"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), index=True)
    rig_version: Mapped[int]
    kind: Mapped[str] = mapped_column(String(20))
    method: Mapped[str] = mapped_column(String(20))
    entry: Mapped[dict[str, Any]]
    pictures: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)
    result: Mapped[dict[str, Any] | None]
    task_id: Mapped[int | None] = mapped_column(ForeignKey("task.id"), index=True)
    set_aside_at: Mapped[datetime | None]
    made_at: Mapped[datetime] = mapped_column(default=now)

    rig: Mapped[Rig] = relationship(back_populates="calibrations")
    task: Mapped["Task | None"] = relationship()


class Stack(Discardable, Base):
    """One planned ladder for one specimen, with the rig and plan as they were when it was saved.

    ``scale`` is one that was measured later and applied by hand, None for that of the rig. ``counted_merge_id`` is the
    merge that a person chose to stand for it, None while nobody did. ``revision`` counts changes of rig and plan.
    ``tile`` is its number in a set of tiles, in the order of shooting from 1; the whole has 0 and is shot by them.
    """

    __tablename__ = "stack"
    __table_args__ = (
        UniqueConstraint("specimen_id", "number"),
        UniqueConstraint("tile_set_id", "tile"),
        *checks("stack", number="number >= 1", revision="revision >= 1",
                tile="(tile is null) = (tile_set_id is null) and tile >= 0"),
    )  # fmt: skip

    id: Mapped[int] = mapped_column(primary_key=True)
    specimen_id: Mapped[int] = mapped_column(ForeignKey("specimen.id"))
    number: Mapped[int]
    rig_id: Mapped[int] = mapped_column(ForeignKey("rig.id"), index=True)
    rig_name: Mapped[str] = mapped_column(String(120))
    rig_version: Mapped[int] = mapped_column(default=1)
    rig: Mapped[dict[str, Any]]
    plan: Mapped[dict[str, Any]]
    cautions_read: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)
    scale: Mapped[dict[str, Any] | None]
    counted_merge_id: Mapped[int | None] = mapped_column(
        ForeignKey("product.id", name="stack_counted_merge_id_fkey", ondelete="SET NULL", use_alter=True), index=True
    )
    tile_set_id: Mapped[int | None] = mapped_column(ForeignKey("tile_set.id"), index=True)
    tile: Mapped[int | None]
    revision: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(default=now)

    specimen: Mapped[Specimen] = relationship(back_populates="stacks")
    tile_set: Mapped[TileSet | None] = relationship()
    takes: Mapped[list["Take"]] = relationship(back_populates="stack", order_by="Take.number")


class Task(Base):
    """Long work and how far it has come: what the worker or the bench does and the pages watch.

    ``stack_id`` is the stack it belongs to, None for work on a rig. ``worker`` has it in hand, at its ``attempt``:
    whoever was given it before counts no more. ``handed_over`` is what a worker elsewhere has made of it and the
    station has not fetched yet. ``by`` is who began it.
    """

    __tablename__ = "task"
    __table_args__ = (
        CheckConstraint("state in ('waiting', 'running', 'done', 'failed', 'stopped')", name="task_state"),
        *checks("task", progress="done >= 0 and total >= 0"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    stack_id: Mapped[int | None] = mapped_column(ForeignKey("stack.id"), index=True)
    state: Mapped[str] = mapped_column(String(10), default="waiting")
    phase: Mapped[str] = mapped_column(String(20), default="")
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    seconds_left: Mapped[float | None]
    message: Mapped[str] = mapped_column(String(2000), default="")
    stop_requested: Mapped[bool] = mapped_column(default=False)
    worker: Mapped[str | None] = mapped_column(String(60))
    attempt: Mapped[int] = mapped_column(default=0)
    handed_over: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    by: Mapped[str | None] = mapped_column(String(60), default=PERSON.get)
    created_at: Mapped[datetime] = mapped_column(default=now)
    ended_at: Mapped[datetime | None]


class Take(Discardable, Base):
    """One series of frames shot for a stack. Doing it again makes another take; none is ever overwritten.

    One of ``tiles`` has no frames: its merges are laid together from those of the set's tiles. ``run`` is what the
    bench was asked for: the rungs of its own ladder, or a burst into the watched folder; ``devices`` how it
    was configured for it, None for a person's own files and where nobody noted it.
    ``development`` is how all its frames are developed (DEVELOPMENT.json), None for as they are.
    """

    __tablename__ = "take"
    __table_args__ = (
        UniqueConstraint("stack_id", "number"),
        *checks("take", number="number >= 1", source="source in ('bench', 'files', 'folder', 'card', 'tiles')"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    stack_id: Mapped[int] = mapped_column(ForeignKey("stack.id"))
    number: Mapped[int]
    source: Mapped[str] = mapped_column(String(10))
    scene: Mapped[str | None] = mapped_column(String(60))
    task_id: Mapped[int | None] = mapped_column(ForeignKey("task.id"), index=True)
    complete: Mapped[bool] = mapped_column(default=False)
    run: Mapped[dict[str, Any] | None]
    devices: Mapped[dict[str, Any] | None]
    development: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    created_at: Mapped[datetime] = mapped_column(default=now)

    stack: Mapped[Stack] = relationship(back_populates="takes")
    task: Mapped[Task | None] = relationship()
    frames: Mapped[list["Frame"]] = relationship(back_populates="take", order_by="Frame.place")
    sortings: Mapped[list["Sorting"]] = relationship(back_populates="take", order_by="Sorting.number")
    products: Mapped[list["Product"]] = relationship(back_populates="take", order_by="Product.id")
    # With every take, as all that lists stacks asks whether anything was measured.
    measures: Mapped[list["Measure"]] = relationship(back_populates="take", order_by="Measure.number", lazy="selectin")
    frame_count: ClassVar[Mapped[int]]  # how many frames it has, without fetching them: set below

    @property
    def merges(self) -> list["Product"]:
        """Its merges, oldest first."""
        return [product for product in self.products if product.kind == "merge"]


class Frame(Base):
    """One original. ``place`` is its order in the take; ``rung`` the planned rung it was shot on, if known.

    ``planned_um`` is where that rung was to lie, ``reported_um`` where the rail said it rested. ``captured_at`` is the
    camera's own clock, ``captured_offset_min`` how much that is ahead of UTC, where the camera noted it.
    """

    __tablename__ = "frame"
    __table_args__ = (
        UniqueConstraint("take_id", "name"),
        Index("frame_take_place", "take_id", "place"),
        *checks(
            "frame",
            place="place >= 0",
            sha256="sha256 ~ '^[0-9a-f]{64}$'",
            suffix="suffix ~ '^[.][a-z0-9]{2,4}$'",
            picture="bytes > 0 and width_px > 0 and height_px > 0 and bits in (8, 16)",
            rung="rung >= 0",
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id"))
    place: Mapped[int]
    name: Mapped[str] = mapped_column(String(255))
    sha256: Mapped[str] = mapped_column(String(64), index=True)
    suffix: Mapped[str] = mapped_column(String(5))
    bytes: Mapped[int] = mapped_column(BigInteger)
    width_px: Mapped[int]
    height_px: Mapped[int]
    bits: Mapped[int]
    captured_at: Mapped[datetime | None] = mapped_column(DateTime(timezone=False))
    captured_offset_min: Mapped[int | None]
    rung: Mapped[int | None]
    planned_um: Mapped[float | None]
    reported_um: Mapped[float | None]
    left_out: Mapped[str | None] = mapped_column(String(300))
    faults: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)

    take: Mapped[Take] = relationship(back_populates="frames")


Take.frame_count = column_property(
    select(func.count(Frame.id)).where(Frame.take_id == Take.id).correlate_except(Frame).scalar_subquery()
)


class Sorting(Base):
    """Which frames of a take are merged, in which order, at which depth; none is ever altered.

    ``series`` lists frame numbers with their depth in the medium (µm from the nearest, null where unknown), nearest
    first where that is known. ``left_out`` lists the others with the reason. ``depth_from`` is what depths rest on:
    positions that the rail "reported", or merely those that were "planned". ``development`` is that of the take then.
    """

    __tablename__ = "sorting"
    __table_args__ = (UniqueConstraint("take_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id"))
    number: Mapped[int]
    series: Mapped[list[dict[str, Any]]] = mapped_column(JSONB)
    left_out: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)
    depth_from: Mapped[str | None] = mapped_column(String(10))
    development: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    made_at: Mapped[datetime] = mapped_column(default=now)

    take: Mapped[Take] = relationship(back_populates="sortings")


class Product(Discardable, Base):
    """What a stage makes: a merge of a sorting, or something made of another product, its ``parent``.

    Its files lie in the folder of its number; ``files`` and ``report`` are None until it is finished. ``settings`` is
    all that is needed to make it again from its parent, by ``version`` of the application. ``reference`` is the scale
    that something of known size in a merge's own picture gave, None while the stack's scale counts.
    """

    __tablename__ = "product"
    __table_args__ = (
        UniqueConstraint("take_id", "kind", "number"),
        *checks("product", number="number >= 1"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id"))
    number: Mapped[int]
    sorting_id: Mapped[int | None] = mapped_column(ForeignKey("sorting.id"), index=True)
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("product.id"), index=True)
    settings: Mapped[dict[str, Any]] = mapped_column(default=dict)
    files: Mapped[list[str] | None] = mapped_column(JSONB)
    report: Mapped[dict[str, Any] | None]
    version: Mapped[str | None] = mapped_column(String(40))
    reference: Mapped[dict[str, Any] | None]
    task_id: Mapped[int] = mapped_column(ForeignKey("task.id"), index=True)
    created_at: Mapped[datetime] = mapped_column(default=now)

    take: Mapped[Take] = relationship(back_populates="products")
    sorting: Mapped[Sorting | None] = relationship()
    task: Mapped[Task] = relationship()


class Measure(Discardable, Base):
    """A measure on a merge. ``picks`` are the places, once for each time somebody picked them; the first is drawn.

    What they come to is reckoned when it is asked for: scale and depth may be known better by then.
    """

    __tablename__ = "measure"
    __table_args__ = (
        UniqueConstraint("take_id", "number"),
        *checks("measure", named="name <> ''", number="number >= 1", picked="jsonb_array_length(picks) >= 1"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id"))
    merge_id: Mapped[int] = mapped_column(ForeignKey("product.id"), index=True)
    number: Mapped[int]
    name: Mapped[str] = mapped_column(String(120))
    kind: Mapped[str] = mapped_column(String(20))
    picks: Mapped[list[dict[str, Any]]] = mapped_column(JSONB)
    created_at: Mapped[datetime] = mapped_column(default=now)

    take: Mapped[Take] = relationship(back_populates="measures")
    merge: Mapped[Product] = relationship()
