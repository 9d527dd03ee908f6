"""A stop belongs to one request and holds for good."""

import threading
import time
import unittest

from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import Stopped


class Token(unittest.TestCase):
    def test_it_goes_on_until_it_is_stopped_and_then_never_again(self) -> None:
        token = StopToken()
        token.check()
        token.stop()
        token.renew()
        self.assertTrue(token.stopped)
        with self.assertRaisesRegex(Stopped, "by hand"):
            token.check()

    def test_stopping_one_leaves_the_next_alone(self) -> None:
        first, second = StopToken(), StopToken()
        first.stop()
        self.assertFalse(second.stopped)

    def test_whoever_waits_for_its_event_wakes_at_once(self) -> None:
        token = StopToken()
        threading.Timer(0.1, token.stop).start()
        began = time.monotonic()
        self.assertTrue(token.event.wait(10.0))
        self.assertLess(time.monotonic() - began, 5.0)

    def test_one_that_must_be_renewed_ends_by_itself(self) -> None:
        token = StopToken(lives_s=1.0)
        end = time.monotonic() + 2.0
        while time.monotonic() < end:
            token.renew()
            self.assertFalse(token.stopped)
            time.sleep(0.02)
        began = time.monotonic()
        while not token.stopped:
            self.assertLess(time.monotonic() - began, 5.0)
        token.renew()
        self.assertTrue(token.stopped)

    def test_the_first_word_may_take_longer_than_the_next(self) -> None:
        token = StopToken(lives_s=0.05, first_s=30.0)
        threading.Event().wait(0.2)
        self.assertFalse(token.stopped)
        token.renew()
        began = time.monotonic()
        while not token.stopped:
            self.assertLess(time.monotonic() - began, 5.0)


if __name__ == "__main__":
    unittest.main()
