"""From where a station can be reached: this machine alone, or others too, and then never without signing in."""

import json
import socket
from dataclasses import dataclass
from ipaddress import ip_address
from pathlib import Path

from amber_ladder.errors import AmberLadderError
from amber_ladder.settings import LOOPBACK


@dataclass(frozen=True, slots=True)
class Reach:
    """``listen`` is the address, ``names`` those that the station answers to besides loopback and that address.

    ``certificate`` and ``key`` are PEM files for https. ``behind_proxy`` is said where a proxy on this machine speaks
    https for it.
    """

    listen: str = "127.0.0.1"
    names: tuple[str, ...] = ()
    certificate: Path | None = None
    key: Path | None = None
    behind_proxy: bool = False

    @property
    def beyond_this_machine(self) -> bool:
        """Whether others can reach it: then they sign in."""
        return self.behind_proxy or not ip_address(self.listen).is_loopback

    @property
    def secure(self) -> bool:
        """Whether people reach it by https."""
        return self.behind_proxy or self.certificate is not None

    def check(self) -> None:
        """Raises AmberLadderError for what would send passwords in the clear, or cannot be."""
        try:
            address = ip_address(self.listen)
        except ValueError as error:
            raise AmberLadderError(
                f"--listen {self.listen} is no address: give one of this machine, such as 192.0.2.7, or 0.0.0.0 for all"
            ) from error
        if (self.certificate is None) != (self.key is None):
            raise AmberLadderError("--certificate and --key belong together: give both")
        for file in (self.certificate, self.key):
            if file is not None and not file.is_file():
                raise AmberLadderError(f"{file} is no file: name a certificate and its key, both PEM")
        if not address.is_loopback and not self.secure:
            raise AmberLadderError(
                f"on {self.listen} passwords would cross the network in the clear: give --certificate and --key, or "
                "stay on this machine behind a proxy that speaks https (--behind-proxy, docs/station.md)"
            )
        if self.behind_proxy and not self.names:
            raise AmberLadderError("behind a proxy the station must know its name: give --name, as browsers write it")

    def environment(self, known: frozenset[str]) -> dict[str, str]:
        """What server and worker are told of it; ``known`` are names that it has already."""
        hosts = {*known, *LOOPBACK, *self.names}
        if self.beyond_this_machine:
            hosts |= {socket.gethostname().lower()}
            if not ip_address(self.listen).is_unspecified:
                hosts.add(self.listen)
        return {
            "AMBER_LADDER_HOSTS": json.dumps(sorted(hosts)),
            "AMBER_LADDER_SIGN_IN": json.dumps(self.beyond_this_machine),
            "AMBER_LADDER_SECURE": json.dumps(self.secure),
        }

    def options(self) -> list[str]:
        """How uvicorn is told."""
        tls = ["--ssl-certfile", str(self.certificate), "--ssl-keyfile", str(self.key)] if self.certificate else []
        return ["--host", self.listen, *tls]
