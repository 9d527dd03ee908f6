"""Whatever people have named."""

from sqlalchemy import select

from amber_ladder.store.database import transaction
from amber_ladder.store.journal_models import Account
from amber_ladder.store.models import Part, Rig, Specimen

_NAMED = (Specimen.catalogue_number, Specimen.name, Specimen.locality, Specimen.note, Rig.name, Part.name, Account.name)


def all_names() -> list[str]:
    """All names, numbers, places and notes, for taking them out of what is shown to others."""
    with transaction() as session:
        ever = {"with_discarded": True}
        return [one for column in _NAMED for one in session.scalars(select(column), execution_options=ever) if one]
