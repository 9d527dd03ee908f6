"""What the station lets the bench be connected to: rails and folders that somebody could name over the network."""

from pathlib import Path
from urllib.parse import urlsplit

from amber_ladder.errors import BadInput
from amber_ladder.settings import settings

_DEVICES = Path("/dev")


def check_rail(address: str) -> None:
    """Raises BadInput for anything but a device below /dev, or a socket that the station's own settings allow.

    Libraries for serial lines also open files and programs; nobody needs that for a rail.
    """
    if address.startswith("socket://"):
        try:
            parts = urlsplit(address)
            where = f"{parts.hostname}:{parts.port}"
        except ValueError:
            where = ""
        plain = address == f"socket://{where}"
        if plain and where in settings().rail_sockets:
            return
        raise BadInput(
            f"rails behind sockets are those that the station was started with, and {where or 'this'} is not among "
            "them: name it in AMBER_LADDER_RAIL_SOCKETS",
            field="rail",
        )
    path = Path(address)
    if not path.is_absolute() or _DEVICES not in path.resolve().parents:
        raise BadInput("a rail is a device such as /dev/ttyUSB0, a socket, or simulated", field="rail")


def check_folder(folder: Path) -> None:
    """Raises BadInput for a folder that lies where the station does not allow to watch; says nothing of its content."""
    try:
        real = folder.resolve()
    except (OSError, RuntimeError) as error:  # a loop of links
        raise BadInput("this folder cannot be reached", field="folder") from error
    data = settings().data.resolve()
    incoming = data / "incoming"
    if real == incoming or incoming in real.parents:
        return
    roots = [root.resolve() for root in settings().folders]
    inside = any(root == real or root in real.parents for root in roots)
    if not inside or real == data or data in real.parents:
        where = ", ".join(str(root) for root in settings().folders)
        raise BadInput(
            f"only folders below {where} are watched here: move the camera's folder, or name its place in "
            "AMBER_LADDER_FOLDERS",
            field="folder",
        )
