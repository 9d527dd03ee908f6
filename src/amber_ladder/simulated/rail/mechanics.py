"""The mechanics of a simulated rail: whole clicks, finite speed, backlash, and shaking that dies away."""

from dataclasses import dataclass, field
from math import exp, pi, sin, sqrt

from amber_ladder.errors import BadInput


@dataclass(slots=True)
class Build:
    """How a rail is built. ``shake_um`` is how far the specimen swings sideways when a long move ends."""

    min_um: float = -5_000.0
    max_um: float = 40_000.0
    click_um: float = 2.5
    backlash_um: float = 50.0
    speed_um_s: float = 4_000.0
    acceleration_um_s2: float = 100_000.0
    shake_um: float = 4.0
    shake_hz: float = 38.0
    shake_dies_s: float = 0.22


@dataclass(frozen=True, slots=True)
class Truth:
    """Where the carriage really is, and its sideways swing: ``amplitude_um`` now, at ``phase`` (radians)."""

    carriage_um: float
    moving: bool
    amplitude_um: float
    phase: float


@dataclass(slots=True)
class _Move:
    start_um: float
    end_um: float
    began_s: float


@dataclass(slots=True)
class RailMechanics:
    """A rail as it behaves in time; every call is given the time, seconds of any clock that does not run back.

    It is ``homed`` once it has reached its end on the way home; one that was halted before has not found it.
    """

    build: Build = field(default_factory=Build)
    homed: bool = False
    _homing: bool = False
    _motor_um: float = 1_000.0
    _carriage_um: float = 1_000.0
    _move: _Move | None = None
    _rested_s: float = -1e9
    _swing_um: float = 0.0

    def reported_um(self, now_s: float) -> float:
        """What the controller believes: the clicks that the motor has completed."""
        self._follow(now_s)
        if self._move is None:
            return self._motor_um
        clicks = int((self._motor_um - self._move.start_um) / self.build.click_um)
        return self._move.start_um + clicks * self.build.click_um

    def truth(self, now_s: float) -> Truth:
        """What is so."""
        self._follow(now_s)
        build, since = self.build, now_s - self._rested_s
        amplitude = self._swing_um * (1.0 if self._move else exp(-since / build.shake_dies_s))
        return Truth(self._carriage_um, self._move is not None, amplitude, 2 * pi * build.shake_hz * now_s)

    def send(self, target_um: float, now_s: float) -> None:
        """Begin to move. Raises BadInput beyond the travel, or before the rail knows where it is."""
        build = self.build
        self._follow(now_s)
        if not self.homed:
            raise BadInput("not homed: send G28 first")
        if not build.min_um - 1e-6 <= target_um <= build.max_um + 1e-6:
            raise BadInput(
                f"{target_um / 1e3:g} mm lies beyond the travel of {build.min_um / 1e3:g} to {build.max_um / 1e3:g} mm"
            )
        self._begin(round(target_um / build.click_um) * build.click_um, now_s)

    def home(self, now_s: float) -> None:
        """Run to the near end of the travel, away from the specimen."""
        self._follow(now_s)
        self.homed = self._motor_um == self.build.min_um
        self._homing = not self.homed
        self._begin(self.build.min_um, now_s)

    def halt(self, now_s: float) -> None:
        """Stop where it is, on a whole click."""
        self._follow(now_s)
        if self._move:
            self._motor_um = round(self._motor_um / self.build.click_um) * self.build.click_um
            self._homing = False  # its end was not found
            self._rest(now_s)

    def _begin(self, end_um: float, now_s: float) -> None:
        if end_um != self._motor_um:
            # A longer move shakes more, as far as it reaches full speed.
            share = min(1.0, sqrt(abs(end_um - self._motor_um) / 200.0))
            self._swing_um = max(self.build.shake_um * share, self.truth(now_s).amplitude_um)
            self._move = _Move(self._motor_um, end_um, now_s)

    def _follow(self, now_s: float) -> None:
        move = self._move
        if move:
            length = abs(move.end_um - move.start_um)
            done = travelled_um(now_s - move.began_s, length, self.build)
            self._motor_um = move.start_um + (done if move.end_um > move.start_um else -done)
            if done >= length:
                self._motor_um = move.end_um
                if self._homing:
                    self.homed, self._homing = True, False
                self._rest(move.began_s + duration_s(length, self.build))
        # The carriage is pushed towards far by the motor itself; towards near only once the play is taken up.
        self._carriage_um = min(max(self._carriage_um, self._motor_um), self._motor_um + self.build.backlash_um)

    def _rest(self, at_s: float) -> None:
        self._move, self._rested_s = None, at_s


def duration_s(length_um: float, build: Build) -> float:
    """Seconds for a move: even acceleration to full speed, and back."""
    ramp_um = build.speed_um_s**2 / build.acceleration_um_s2
    if length_um <= ramp_um:
        return 2.0 * sqrt(length_um / build.acceleration_um_s2)
    return length_um / build.speed_um_s + build.speed_um_s / build.acceleration_um_s2


def travelled_um(since_s: float, length_um: float, build: Build) -> float:
    """How far a move has come after so many seconds."""
    whole = duration_s(length_um, build)
    if since_s >= whole:
        return length_um
    t = min(since_s, whole - since_s)
    a, ramp_s = build.acceleration_um_s2, build.speed_um_s / build.acceleration_um_s2
    part = 0.5 * a * t * t if t < ramp_s else 0.5 * a * ramp_s**2 + build.speed_um_s * (t - ramp_s)
    return part if since_s <= whole / 2 else length_um - part


def swing_um(truth: Truth, build: Build, after_s: float) -> float:
    """Where the sideways swing is, some moments after ``truth`` was told."""
    dies = 1.0 if truth.moving else exp(-after_s / build.shake_dies_s)
    return truth.amplitude_um * dies * sin(truth.phase + 2 * pi * build.shake_hz * after_s)
