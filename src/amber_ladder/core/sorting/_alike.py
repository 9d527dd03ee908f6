"""Frames that do not belong together: of another size or depth than the rest."""

from collections import Counter
from collections.abc import Sequence

from amber_ladder.core.sorting._shot import Shot

Form = tuple[int, int, int]
"""Width and height in px, bits a channel."""


def form_of(shot: Shot) -> Form:
    """What must be the same for all frames that are merged."""
    return shot.width_px, shot.height_px, shot.bits


def why_unlike(shot: Shot, usual: Form | None) -> str | None:
    """Why a frame cannot be merged with frames of the ``usual`` form; None where it can, or nothing is usual yet.

    Every arrival is asked this, from a rail's camera, a watched folder or a person's own files: frames of unlike depth
    differ in scale by 257 and would be taken for the brightest by far.
    """
    if usual is None or form_of(shot) == usual:
        return None
    width, height, bits = usual
    return (
        f"is {shot.width_px} × {shot.height_px} px of {shot.bits} bits, the others {width} × {height} px of {bits} bits"
    )


def usual_form(shots: Sequence[Shot]) -> Form | None:
    """The form that most of the kept frames have; of two equally common ones the first. None without a frame."""
    forms = Counter(form_of(shot) for shot in shots if shot.left_out is None)
    return forms.most_common(1)[0][0] if forms else None
