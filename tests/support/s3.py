"""A real S3 server on loopback, with an empty bucket."""

import urllib.request
from collections.abc import Callable

from moto.server import ThreadedMotoServer

from amber_ladder.launch.postgres import free_port

URL = "s3://pond/ladder"


def bucket(cleanup: Callable[..., object]) -> dict[str, str]:
    """Serve one until ``cleanup`` (a test's) stops it; returns the environment in which URL leads there."""
    server = ThreadedMotoServer(ip_address="127.0.0.1", port=0, verbose=False)
    server.start()
    cleanup(server.stop)
    host, port = server.get_host_and_port()
    urllib.request.urlopen(urllib.request.Request(f"http://{host}:{port}/pond", method="PUT")).close()
    return _reached_by(f"http://{host}:{port}")


def nobody() -> dict[str, str]:
    """An environment in which nothing answers at URL."""
    return _reached_by(f"http://127.0.0.1:{free_port(0)}")


def _reached_by(address: str) -> dict[str, str]:
    return {
        "AWS_ENDPOINT_URL": address, "AWS_ALLOW_HTTP": "true", "AWS_REGION": "us-east-1",
        "AWS_ACCESS_KEY_ID": "for", "AWS_SECRET_ACCESS_KEY": "tests",
    }  # fmt: skip
