"""Several people at one station: nobody without signing in, who did what, and one bench between two."""

import http.cookiejar
import json
import os
import ssl
import subprocess
import sys
import tempfile
import unittest
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from fastapi.testclient import TestClient

from amber_ladder.api.app import create_app
from amber_ladder.errors import AmberLadderError, Conflict
from amber_ladder.launch.reach import Reach
from amber_ladder.launch.serve import SOURCE
from amber_ladder.store import deeds as store_deeds
from amber_ladder.store.base import PERSON
from amber_ladder.store.database import transaction
from amber_ladder.store.journal_models import Account, SignIn, SignInFailure
from amber_ladder.work import cabinet, deeds, people
from amber_ladder.work.shoot.claim import Claim, ClaimEntry
from tests.support.examples import SPECIMEN
from tests.support.station import database

HOME = {"Host": "localhost"}
PASSWORD = "a capped column at dusk"


@contextmanager
def person(name: str | None) -> Iterator[None]:
    token = PERSON.set(name)
    try:
        yield
    finally:
        PERSON.reset(token)


class SigningIn(unittest.TestCase):
    def setUp(self) -> None:
        database()
        self.name = f"Ada {id(self)}"
        people.add_account(people.NewAccount(name=self.name, password=PASSWORD))  # type: ignore[arg-type]
        self.app = create_app(sign_in=True)
        with transaction() as session:
            session.query(SignInFailure).delete()

    def client(self) -> TestClient:
        return TestClient(self.app, base_url="http://localhost")

    def sign_in(self, client: TestClient, password: str = PASSWORD) -> Any:
        return client.post("/api/session", json={"name": self.name, "password": password})

    def test_every_address_but_the_door_is_closed(self) -> None:
        client = self.client()
        for route in self.app.openapi()["paths"]:
            path = route.replace("{", "").replace("}", "")
            if path in ("/api/session", "/api/health"):
                continue
            for method in self.app.openapi()["paths"][route]:
                with self.subTest(f"{method} {path}"):
                    self.assertEqual(client.request(method, path).status_code, 401)
        self.assertEqual(client.get("/api/session").json(), {"needed": True, "name": None})
        self.assertEqual(client.get("/api/health").status_code, 200)

    def test_in_and_out_here_and_everywhere(self) -> None:
        one, two = self.client(), self.client()
        self.assertEqual(self.sign_in(one).json()["name"], self.name)
        cookie = self.sign_in(two).headers["set-cookie"]
        for part in ("HttpOnly", "SameSite=strict"):
            self.assertIn(part, cookie)
        self.assertEqual(one.get("/api/stages").status_code, 200)
        self.assertEqual(one.delete("/api/session").status_code, 200)
        self.assertEqual((one.get("/api/stages").status_code, two.get("/api/stages").status_code), (401, 200))
        self.sign_in(one)
        two.delete("/api/session", params={"everywhere": True})
        self.assertEqual((one.get("/api/stages").status_code, two.get("/api/stages").status_code), (401, 401))
        with transaction() as session:
            kept = session.query(SignIn.token_sha256).all() + session.query(Account.password_hash).all()
        self.assertNotIn(PASSWORD, str(kept))

    def test_guessing_is_slowed_down_for_known_names_and_unknown_ones(self) -> None:
        client = self.client()
        said = {self.sign_in(client, f"wrong {i}").json()["message"] for i in range(8)}
        self.assertEqual(said, {"This name and this password do not belong together."})
        self.assertEqual(self.sign_in(client).status_code, 429)  # the right one has to wait too
        self.assertIn("wait ten minutes", self.sign_in(client).json()["message"])
        with transaction() as session:
            session.query(SignInFailure).delete()
        self.assertEqual(self.sign_in(client).status_code, 200)
        unknown = client.post("/api/session", json={"name": "nobody", "password": PASSWORD})
        self.assertEqual((unknown.status_code, unknown.json()["message"]), (422, said.pop()))

    def test_a_new_password_ends_what_the_old_one_opened(self) -> None:
        client = self.client()
        self.sign_in(client)
        wrong = client.put("/api/password", json={"old": "not this one", "new": "another sentence"})
        self.assertEqual(wrong.json()["fields"][0]["field"], "old")
        short = client.put("/api/password", json={"old": PASSWORD, "new": "short"})
        self.assertEqual(short.status_code, 422)
        self.assertEqual(
            client.put("/api/password", json={"old": PASSWORD, "new": "another sentence"}).status_code, 200
        )
        self.assertEqual(client.get("/api/stages").status_code, 401)
        self.assertEqual(self.sign_in(client).status_code, 422)
        self.assertEqual(self.sign_in(client, "another sentence").status_code, 200)

    def test_who_did_what_stands_in_the_record_and_is_undone_by_nobody_else(self) -> None:
        client = self.client()
        self.sign_in(client)
        label = {**SPECIMEN, "catalogue_number": f"WHO-{id(self)}"}
        specimen = client.post("/api/specimens", json=label).json()
        with transaction() as session:
            (first,) = store_deeds.of_specimen(session, specimen["id"])
        self.assertEqual(first.by, self.name)
        with person("Ben"):
            self.assertIsNone(deeds.last_deed())
            with self.assertRaisesRegex(Conflict, "ask them to undo it"):
                deeds.undo(client.get("/api/deeds").json()[0]["id"])
            cabinet.edit_specimen(specimen["id"], cabinet.SpecimenEntry(**{**label, "name": "moss lid"}))
        undone = client.post(f"/api/deeds/{client.get('/api/deeds').json()[0]['id']}/undo")
        self.assertEqual(undone.status_code, 200)


class OneBenchForTwo(unittest.TestCase):
    def setUp(self) -> None:
        self.busy = False
        self.claim = Claim(working=lambda: self.busy, told=lambda: None)

    def test_one_has_it_the_other_sees_it_asks_and_takes_it_over_with_a_word(self) -> None:
        with person("Ada"):
            self.claim.check()
            self.claim.check()
        with person("Ben"):
            with self.assertRaisesRegex(Conflict, "Ada has the bench since"):
                self.claim.check()
            self.claim.ask()
        with person("Ada"):
            seen = self.claim.view()
        assert seen is not None
        self.assertEqual((seen.by, seen.mine, seen.asked_by), ("Ada", True, "Ben"))
        with person("Ben"):
            with self.assertRaisesRegex(Conflict, "say a word"):
                self.claim.take_over(ClaimEntry())
            self.claim.take_over(ClaimEntry(word="the snow melts"))
            self.claim.check()
            seen = self.claim.view()
        assert seen is not None
        self.assertEqual((seen.mine, seen.word), (True, "Ben took over from Ada: the snow melts"))
        with person("Ada"), self.assertRaises(Conflict):
            self.claim.check()
        with person("Ben"):
            self.claim.give_up()
        with person("Ada"):
            self.claim.check()

    def test_without_accounts_there_is_nothing_to_claim(self) -> None:
        self.claim.check()
        self.assertIsNone(self.claim.view())


class Listening(unittest.TestCase):
    def test_never_beyond_this_machine_in_the_clear(self) -> None:
        for reach, words in (
            (Reach("0.0.0.0"), "in the clear"),
            (Reach("192.0.2.7", behind_proxy=False), "in the clear"),
            (Reach(behind_proxy=True), "must know its name"),
            (Reach("my machine"), "is no address"),
            (Reach(certificate=Path("/none")), "belong together"),
            (Reach(certificate=Path("/none"), key=Path("/none")), "is no file"),
        ):
            with self.subTest(words), self.assertRaisesRegex(AmberLadderError, words):
                reach.check()
        Reach().check()
        told = Reach(names=("bench.example",), behind_proxy=True).environment(frozenset())
        self.assertEqual((told["AMBER_LADDER_SIGN_IN"], told["AMBER_LADDER_SECURE"]), ("true", "true"))
        self.assertIn("bench.example", told["AMBER_LADDER_HOSTS"])
        self.assertEqual(Reach().environment(frozenset())["AMBER_LADDER_SIGN_IN"], "false")

    def test_from_the_command_line_over_https(self) -> None:
        """Refused without an account; with one, a real start that answers over https, and to nobody unknown."""
        folder = Path(self.enterContext(tempfile.TemporaryDirectory(prefix="amber-ladder-https-", dir="/tmp")))
        folder.chmod(0o755)
        certificate, key = folder / "c.pem", folder / "k.pem"
        subprocess.run(
            ["openssl", "req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:P-256", "-nodes", "-days", "2",
             "-subj", "/CN=127.0.0.2", "-addext", "subjectAltName=IP:127.0.0.2", "-keyout", key, "-out", certificate],
            check=True, capture_output=True,
        )  # fmt: skip
        environment = {**os.environ, "AMBER_LADDER_DATA": str(folder / "data"), "PYTHONPATH": str(SOURCE / "src"),
                       "AMBER_LADDER_PAGES": str(SOURCE / "web" / "dist")}  # fmt: skip
        launch = [sys.executable, "-m", "amber_ladder.launch"]
        # 127.0.0.2 is this machine too; only that it is spoken to as another's would be is tried here.
        serving = [*launch, "start", "--port", "0", "--behind-proxy", "--name", "127.0.0.2", "--listen", "127.0.0.2",
                   "--certificate", str(certificate), "--key", str(key)]  # fmt: skip
        refused = subprocess.run(serving, env=environment, capture_output=True, text=True, check=False)
        self.assertIn("make an account first", refused.stderr)
        add = [*launch, "account", "add", "Ada"]
        short = subprocess.run(add, env=environment, input="short\n", capture_output=True, text=True, check=False)
        self.assertIn("10 to 200 characters", short.stderr)
        subprocess.run(add, env=environment, input=f"{PASSWORD}\n", text=True, check=True, capture_output=True)
        station = subprocess.Popen(serving, env=environment, stdout=subprocess.PIPE, text=True)
        self.addCleanup(station.wait)
        self.addCleanup(station.terminate)
        assert station.stdout is not None
        ready = next(line for line in station.stdout if "ready at" in line)
        self.addCleanup(station.stdout.close)
        address = ready.split(" at ")[1].split()[0]
        self.assertTrue(address.startswith("https://127.0.0.2:"), address)
        trust = ssl.create_default_context(cafile=str(certificate))
        opener = urllib.request.build_opener(
            urllib.request.HTTPSHandler(context=trust),
            urllib.request.HTTPCookieProcessor(http.cookiejar.CookieJar()),
        )
        with self.assertRaises(urllib.error.HTTPError) as unknown:
            opener.open(f"{address}api/specimens")
        self.assertEqual(unknown.exception.code, 401)
        unknown.exception.close()
        asked = urllib.request.Request(
            f"{address}api/session",
            data=json.dumps({"name": "ada", "password": PASSWORD}).encode(),
            headers={"Content-Type": "application/json"},
        )
        with opener.open(asked) as answer:
            self.assertIn("Secure", answer.headers["set-cookie"])
        with opener.open(f"{address}api/specimens") as answer:
            self.assertEqual(json.load(answer)["rows"], [])
        # Beside the running station: a browser that was lost is signed out.
        done = subprocess.run([*launch, "account", "sign-out", "Ada"], env=environment, capture_output=True, text=True,
                              check=True)  # fmt: skip
        self.assertIn("signed out of 1", done.stdout)
        with self.assertRaises(urllib.error.HTTPError) as out:
            opener.open(f"{address}api/specimens")
        out.exception.close()


if __name__ == "__main__":
    unittest.main()
