"""A line of G-code to one controller: what is asked is answered, one question at a time."""

import threading
import time

import serial

from amber_ladder.devices.stopping import StopToken
from amber_ladder.errors import DeviceTrouble, OutOfReach, Stopped

ANSWER_S = 2.0
_LONGEST_LINE = 400


class GcodeLine:
    """A controller at a pyserial address; all axes that it moves share this line. Raises DeviceTrouble."""

    def __init__(self, address: str, *, answer_s: float = ANSWER_S) -> None:
        self.address = address
        self._answer_s = answer_s
        self._turn = threading.Lock()
        try:
            self._line = serial.serial_for_url(address, baudrate=115_200, timeout=0.05, write_timeout=answer_s)
        except (OSError, ValueError) as error:
            raise DeviceTrouble(
                f"no rail answers at {address}: check that it is switched on, its cable, and the address"
            ) from error

    def close(self) -> None:
        """Close the line."""
        self._line.close()

    def ask(self, words: str, *, patience_s: float | None = None, stop: StopToken | None = None) -> list[str]:
        """Send one line; return what came before its ``ok``. A move that is waited for here ends with ``stop``."""
        answers: list[str] = []
        with self._turn:
            end = time.monotonic() + (patience_s or self._answer_s)
            try:
                self._line.reset_input_buffer()
                self._line.write(words.encode("ascii") + b"\n")
                heard = b""
                while True:
                    # A slow line may be heard in pieces: nothing is believed before its end has come.
                    heard += self._line.read_until(b"\n", _LONGEST_LINE)
                    whole = heard.endswith(b"\n") or len(heard) >= _LONGEST_LINE
                    text = heard.decode("ascii", "replace").strip() if whole else ""
                    heard = b"" if whole else heard
                    if text == "ok":
                        return answers
                    if text.startswith("error:"):
                        raise _refusal(text.removeprefix("error:").strip())
                    if text:
                        answers.append(text)
                    if stop is not None and stop.stopped:
                        # A controller that answers a move at its end: its answer to the move comes with that to M112.
                        self._line.write(b"M112\n")
                        end = time.monotonic() + self._answer_s
                        answered = 0
                        while answered < 2 and time.monotonic() < end:
                            line = self._line.read_until(b"\n", _LONGEST_LINE)
                            answered += line.startswith((b"ok", b"error"))
                        raise Stopped("the rail was stopped")
                    if time.monotonic() > end:
                        raise self._silent(words, [*answers, heard.decode("ascii", "replace")] if heard else answers)
            except (OSError, serial.SerialException, AttributeError, TypeError) as error:
                # The last two are what pyserial meets when another thread has closed the line meanwhile.
                raise self._gone() from error

    def _silent(self, words: str, answers: list[str]) -> DeviceTrouble:
        word = words.partition(" ")[0]
        if answers:
            return DeviceTrouble(
                f"the rail at {self.address} answered {word} with {answers[-1][:40]!r}, which is not understood: "
                "check its line speed and that no other program uses it"
            )
        return DeviceTrouble(
            f"the rail at {self.address} gave no answer to {word}: check power and cable, then connect again"
        )

    def _gone(self) -> DeviceTrouble:
        return DeviceTrouble(f"the rail at {self.address} is gone: its line was cut. Plug it in and connect again")


def _refusal(reason: str) -> Exception:
    if "beyond" in reason:
        return OutOfReach(f"the rail refuses: {reason}", field="position_um")
    if reason == "stopped":
        return Stopped("the rail was stopped")
    return DeviceTrouble(f"the rail refuses: {reason}")
