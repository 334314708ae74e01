"""Rigid bodies that fall, meet and follow a designed motion, in fixed steps from a first frame on.

What is solved is a *track*: places and turns of all bodies at whole frames, in chunks of frames. A chunk depends on the
chunk before it and on what is asked for within it, and on nothing else, so each is kept under an address that says so;
a frame alone has the bits of one in sequence. The solver is MuJoCo (Todorov, Erez and Tassa, "MuJoCo: a physics engine
for model-based control", 2012), by one thread. All that goes into it is made by elementwise arithmetic.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from moss_crown.core.cache import Cache, address
from moss_crown.core.physics.turns import apart, between

Floats: TypeAlias = NDArray[np.float64]
CHUNK = 8
"""Frames."""
QUARTERS = 4
"""So many times a frame the designed motion is looked at."""
HERTZ = 500
"""At least so many steps a second."""
STIFF = 50.0
"""Radians a second with which a body that follows wholly is pulled to where it should be."""
FASTEST = 60.0
"""Metres, and radians, a second: nothing is faster."""
STILL = 0.02
"""Metres, and fifths of radians, a second: what is slower for CALM seconds falls asleep where it is."""
CALM = 0.3
FEW_ROUNDS, CROWD = 6, 60
"""Of more bodies than that a step is solved in so many rounds: each begins where the one before ended, and nothing is
seen of what more would give."""
DITHER, BACK, DRAG = 0.012, 0.16, 15.0
"""What touches something and has not come farther than so many metres in the seconds before loses so much of its speed
a second: contacts that bounce would make a heap tremble for ever."""
ROUSED = 0.1
"""Metres a second: what is touched by something faster wakes up."""


@dataclass(frozen=True)
class Ground:
    """What bodies fall on: a box by its middle (3), axes (3, 3, as columns) and half sides (3), or a ball of the radius
    `half[0]`."""

    shape: Literal["box", "ball"]
    middle: tuple[float, ...]
    axes: tuple[float, ...]
    half: tuple[float, ...]


@dataclass(frozen=True)
class Matter:
    """What all bodies are made of: kilogrammes a cubic metre; what is left of a speed after a bounce; friction."""

    density: float = 300.0
    bounce: float = 0.2
    friction: float = 0.6


@dataclass(frozen=True)
class Wanted:
    """What is asked for at quarters of frames (q, ...): where the design has bodies, places (q, b, 3) and turns (q, b,
    4); which are held there (q, b), and how strongly the others follow that (q, b), 0 to 1; gravity and wind (q, 3),
    metres a square second. `thrown` (b, 6): metres and radians a second that each gets when it is let go."""

    places: Floats
    turns: Floats
    hold: NDArray[np.bool_]
    follow: Floats
    gravity: Floats
    wind: Floats
    thrown: Floats
    touch: bool = False

    def part(self, begin: int, end: int) -> Wanted:
        """From one quarter to another, that included."""
        own = slice(begin, end + 1)
        return Wanted(
            self.places[own],
            self.turns[own],
            self.hold[own],
            self.follow[own],
            self.gravity[own],
            self.wind[own],
            self.thrown,
            self.touch,
        )

    def address(self) -> str:
        """A hash of all of it."""
        parts = (self.places, self.turns, self.hold, self.follow, self.gravity, self.wind, self.thrown)
        return address(*(part.tobytes() for part in parts), self.touch)


@dataclass(frozen=True)
class Stretch:
    """A chunk of a track: places (f, b, 3) and turns (f, b, 4) at whole frames, and which bodies are held there (f, b);
    the solver's own state at its end, and for how many frames each has been calm by then (b)."""

    places: Floats
    turns: Floats
    held: NDArray[np.bool_]
    state: Floats
    calm: NDArray[np.int64]

    @property
    def nbytes(self) -> int:
        """What it takes in memory."""
        return self.places.nbytes + self.turns.nbytes + self.state.nbytes


@dataclass(frozen=True)
class Bodies:
    """Bodies (b) by their convex parts, each corners (n, 3) in the body's own space about its middle; what they are
    made of; what they fall on; frames a second. `spare`: pairs that are not told of each other, since they begin in
    each other."""

    parts: tuple[tuple[Floats, ...], ...]
    matter: Matter
    grounds: tuple[Ground, ...]
    fps: float
    spare: tuple[tuple[int, int], ...] = ()

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.parts)

    @property
    def steps(self) -> int:
        """Of the solver in a quarter of a frame."""
        return max(1, math.ceil(HERTZ / (QUARTERS * self.fps)))

    @property
    def step(self) -> float:
        """Seconds."""
        return 1 / (self.fps * QUARTERS * self.steps)

    @cached_property
    def key(self) -> str:
        """A hash of all that decides how they move."""
        shapes = tuple(tuple(part.tobytes() for part in parts) for parts in self.parts)
        return address("bodies", shapes, self.matter, self.grounds, self.fps, self.spare, VERSION)

    @cached_property
    def model(self) -> Any:
        """As the solver has them."""
        return _compiled(self)


VERSION = 1
"""Of the way that is solved here: a track of another is another."""


@dataclass(frozen=True)
class Track:
    """Places (f, b, 3) and turns (f, b, 4) at whole frames from the first on, and which bodies are held (f, b)."""

    places: Floats
    turns: Floats
    held: NDArray[np.bool_]


def track(bodies: Bodies, wanted: Wanted, frames: int, cache: Cache) -> Track:
    """At frames 0 to `frames` and a few more: by whole chunks. `wanted` says what is asked for through the last of
    these."""
    key = bodies.key
    places, turns, held = [wanted.places[:1]], [wanted.turns[:1]], [wanted.hold[:1]]
    last: Stretch | None = None
    for begin in range(0, max(frames, 1), CHUNK):
        own = wanted.part(begin * QUARTERS, (begin + CHUNK) * QUARTERS)
        key = address(key, own.address())
        before = last

        def solved(own: Wanted = own, before: Stretch | None = before) -> Stretch:
            return _solved(bodies, own, before)

        last = cache.get(("track", key), solved, lambda stretch: stretch.nbytes)
        places.append(last.places)
        turns.append(last.turns)
        held.append(last.held)
    return Track(np.concatenate(places), np.concatenate(turns), np.concatenate(held))


def chunks(frames: int) -> int:
    """So many frames are solved where so many are asked for."""
    return CHUNK * max(1, math.ceil(frames / CHUNK))


def _compiled(bodies: Bodies) -> Any:
    import mujoco  # loads for long

    mujoco.set_mju_user_warning(lambda text: None)  # it would write a file into the working folder
    spec = mujoco.MjSpec()
    spec.option.timestep = bodies.step
    spec.option.gravity = (0.0, 0.0, 0.0)  # gravity can change: it is a force
    spec.option.integrator = mujoco.mjtIntegrator.mjINT_IMPLICITFAST
    spec.option.cone = mujoco.mjtCone.mjCONE_ELLIPTIC
    spec.option.impratio = 10  # friction as hard as contacts: nothing creeps
    zeta = damping(bodies.matter.bounce)
    # A contact swings with 1 / (time constant * zeta) radians a second: half a radian a step is as hard as it may be.
    how = {
        "solref": (2 * bodies.step / zeta, zeta),
        "friction": (max(bodies.matter.friction, 1e-3), 0.005, 0.0001),
        "condim": 3,
    }
    for ground in bodies.grounds:
        if ground.shape == "ball":
            spec.worldbody.add_geom(
                type=mujoco.mjtGeom.mjGEOM_SPHERE, size=(ground.half[0], 0, 0), pos=ground.middle, **how
            )
        else:
            spec.worldbody.add_geom(
                type=mujoco.mjtGeom.mjGEOM_BOX, size=ground.half, pos=ground.middle, quat=ground.axes, **how
            )
    made: dict[bytes, str] = {}
    for number, parts in enumerate(bodies.parts):
        body = spec.worldbody.add_body(name=f"b{number}")
        body.add_freejoint()
        for part in parts:
            shape = part.tobytes()
            if shape not in made:
                made[shape] = f"m{len(made)}"
                spec.add_mesh(name=made[shape], uservert=part.ravel().tolist())
            body.add_geom(type=mujoco.mjtGeom.mjGEOM_MESH, meshname=made[shape], density=bodies.matter.density, **how)
        spec.worldbody.add_body(name=f"w{number}", mocap=True)
        weld = spec.add_equality(
            type=mujoco.mjtEq.mjEQ_WELD, objtype=mujoco.mjtObj.mjOBJ_BODY, name1=f"w{number}", name2=f"b{number}"
        )
        weld.solref = (2 * bodies.step, 1.0)
        weld.data = np.array([0, 0, 0, 0, 0, 0, 1, 0, 0, 0, 1, 0], float)[:, None]  # no offset; torques as forces
    for one, other in bodies.spare:
        spec.add_exclude(bodyname1=f"b{one}", bodyname2=f"b{other}")
    model = spec.compile()
    if bodies.count > CROWD:
        model.opt.iterations = FEW_ROUNDS
    model.opt.disableflags |= int(mujoco.mjtDisableBit.mjDSBL_AUTORESET)
    return model


def overlapping(bodies: Bodies, places: Floats, turns: Floats, least: float) -> tuple[tuple[int, int], ...]:
    """Pairs of bodies that are deeper than so many metres in each other at places (b, 3) and turns (b, 4): as kerned
    letters are, and pieces beside each other. They would be shot apart."""
    import mujoco

    data = mujoco.MjData(bodies.model)
    place = data.qpos.reshape(-1, 7)
    place[:, :3], place[:, 3:] = places, turns
    mujoco.mj_forward(bodies.model, data)
    found = set()
    for n in range(data.ncon):
        one, other = sorted(int(bodies.model.geom_bodyid[g]) for g in data.contact[n].geom)
        if one and data.contact[n].dist < -least:
            found.add(((one - 1) // 2, (other - 1) // 2))
    return tuple(sorted(found))


def damping(bounce: float) -> float:
    """The damping ratio of a contact from which what is left of a speed comes back: e = exp(-pi z / sqrt(1 - z^2))."""
    left = math.log(min(max(bounce, 0.02), 0.95))
    return min(1.0, -left / math.sqrt(math.pi**2 + left**2))


def _solved(bodies: Bodies, wanted: Wanted, before: Stretch | None) -> Stretch:
    """The next frames of a track."""
    import mujoco

    model, count = bodies.model, bodies.count
    enough = math.ceil(CALM * bodies.fps)
    if before is not None and (before.calm >= enough).all() and not _stirred(wanted):
        at, turn = before.places[-1:], before.turns[-1:]
        return Stretch(
            np.repeat(at, CHUNK, 0),
            np.repeat(turn, CHUNK, 0),
            np.repeat(before.held[-1:], CHUNK, 0),
            before.state,
            before.calm,
        )
    data = mujoco.MjData(model)
    kept = mujoco.mjtState.mjSTATE_INTEGRATION
    place, turn = data.qpos.reshape(-1, 7), data.qvel.reshape(-1, 6)
    if before is None:
        place[:, :3], place[:, 3:] = wanted.places[0], wanted.turns[0]
        held = np.ones(count, np.bool_)
        data.eq_active[:] = held
        calm = np.zeros(count, np.int64)
    else:
        mujoco.mj_setState(model, data, before.state, kept)
        held, calm = before.held[-1].copy(), before.calm.copy()
    steps, h = bodies.steps, bodies.step
    mass = model.body_mass[1 : 2 * count + 1 : 2]
    inertia = model.body_inertia[1 : 2 * count + 1 : 2]
    largest = np.maximum(np.maximum(inertia[:, 0], inertia[:, 1]), inertia[:, 2])
    found_at, found_turn = np.empty((CHUNK, count, 3)), np.empty((CHUNK, count, 4))
    found_held = np.empty((CHUNK, count), np.bool_)
    force = data.qfrc_applied.reshape(-1, 6)
    # Where those lie that are asleep; the solver has them a hair's breadth beside that.
    last = np.concatenate([wanted.places[0], wanted.turns[0]], 1)
    if before is not None:
        last = np.concatenate([before.places[-1], before.turns[-1]], 1)
    lain = last.copy()
    back = max(2, round(BACK * bodies.fps))
    trail = [last] if before is None else [*np.concatenate([before.places, before.turns], 2)[-back - 1 :]]
    dithers, met = _dithers(trail, back), np.zeros(count, np.bool_)
    for quarter in range(CHUNK * QUARTERS):
        begun, ended = quarter, quarter + 1
        moves = (wanted.places[ended] - wanted.places[begun]) / (steps * h)
        spins = apart(wanted.turns[begun], wanted.turns[ended]) / (steps * h)
        follows = wanted.follow[begun]
        let_go = held & ~wanted.hold[begun]
        if let_go.any():
            _let_go(turn, let_go, moves, spins, wanted.thrown)
            held &= ~let_go
        if _changes(wanted, begun):
            calm[:] = 0
        asleep = (calm >= enough) & ~held
        data.eq_active[:] = held | asleep
        pull = (wanted.gravity[begun] + wanted.wind[begun]) * mass[:, None]
        drawn = ~held & (follows > 0)
        calm[drawn] = 0
        leans = dithers & ~held & ~drawn
        if leans.any():
            leans &= _leaning(model, data, count)
        fast = np.abs(turn[:, :3]).max(1) > ROUSED
        watched = bool(asleep.any() and (fast & ~asleep).any())
        for step in range(steps):
            share = (step + 1) / steps
            goal = wanted.places[begun] + share * (wanted.places[ended] - wanted.places[begun])
            way = between(wanted.turns[begun], wanted.turns[ended], share)
            data.mocap_pos[:] = np.where(asleep[:, None], lain[:, :3], goal)
            data.mocap_quat[:] = np.where(asleep[:, None], lain[:, 3:], way)
            force[:, :3], force[:, 3:] = pull, 0.0
            if leans.any():
                force[leans, :3] -= (DRAG * mass[:, None] * turn[:, :3])[leans]
                force[leans, 3:] -= (DRAG * largest[:, None] * turn[:, 3:])[leans]
            if drawn.any():
                _drawn(force, drawn, follows, mass, largest, (goal, way, moves, spins), place, turn, pull)
            np.clip(turn, -FASTEST, FASTEST, out=turn)
            mujoco.mj_step(model, data)
            if watched:
                woken = _roused(model, data, asleep, fast)
                calm[woken] = 0
                asleep &= ~woken
                data.eq_active[:] = held | asleep
            if not np.isfinite(place).all():  # kept where it was: letters stay in one piece whatever is asked for
                _stopped(model, data, before, found_at, found_turn, quarter // QUARTERS, wanted)
        if wanted.touch and held.any():
            held &= ~_touched(model, data, held)
        met |= _leaning(model, data, count)
        if ended % QUARTERS == 0:
            k = ended // QUARTERS - 1
            lies = (calm >= enough) & ~held
            now = np.where(lies[:, None], lain, place)
            found_at[k], found_turn[k], found_held[k] = now[:, :3], now[:, 3:], held
            gone = np.maximum(
                np.abs(now[:, :3] - last[:, :3]).max(1), 0.2 * np.abs(apart(last[:, 3:], now[:, 3:])).max(1)
            )
            # What hardly moves in the air only begins to fall.
            slow, last = (gone * bodies.fps < STILL) & (lies | met), now
            met[:] = False
            trail = [*trail[-back:], now]
            dithers = _dithers(trail, back)
            calm = np.where(slow & ~held & ~drawn, calm + 1, np.where(lies, calm, 0))
            fresh = (calm >= enough) & ~lies
            lain[fresh] = place[fresh]
    state = np.empty(mujoco.mj_stateSize(model, kept))
    mujoco.mj_getState(model, data, state, kept)
    return Stretch(found_at, found_turn, found_held, state, calm)


def _stirred(wanted: Wanted) -> bool:
    """Is anything asked for that could move what has come to rest?"""
    return bool(wanted.follow.any()) or any(_changes(wanted, k) for k in range(len(wanted.gravity) - 1))


def _changes(wanted: Wanted, quarter: int) -> bool:
    """Does gravity or the wind change within a quarter of a frame?"""
    return any(not np.array_equal(of[quarter], of[quarter + 1]) for of in (wanted.gravity, wanted.wind))


def _dithers(trail: list[Floats], back: int) -> NDArray[np.bool_]:
    """Which bodies are about where they were so many frames ago, by what is known of the last ones."""
    if len(trail) <= back:
        return np.zeros(len(trail[0]), np.bool_)
    return np.asarray(np.abs(trail[-1][:, :3] - trail[-1 - back][:, :3]).max(1) < DITHER)


def _leaning(model: Any, data: Any, count: int) -> NDArray[np.bool_]:
    """Which bodies touch something."""
    found = np.zeros(count, np.bool_)
    bodies = model.geom_bodyid[data.contact.geom[: data.ncon]].ravel()
    found[(bodies[bodies > 0] - 1) // 2] = True
    return found


def _let_go(speed: Floats, which: NDArray[np.bool_], moves: Floats, spins: Floats, thrown: Floats) -> None:
    """Bodies keep the speed that the design gives them, and get what they are thrown with."""
    speed[which, :3] = (moves + thrown[:, :3])[which]
    speed[which, 3:] = (spins + thrown[:, 3:])[which]


def _drawn(
    force: Floats,
    which: NDArray[np.bool_],
    follows: Floats,
    mass: Floats,
    inertia: Floats,
    goal: tuple[Floats, Floats, Floats, Floats],
    place: Floats,
    speed: Floats,
    pull: Floats,
) -> None:
    """A critically damped spring from each body to where the design has it, which knows how fast that moves."""
    at, way, moves, spins = goal
    tempo = (STIFF * follows * follows)[:, None]
    draw = tempo * tempo * (at - place[:, :3]) + 2 * tempo * (moves - speed[:, :3])
    wring = tempo * tempo * apart(place[:, 3:], way) + 2 * tempo * (spins - speed[:, 3:])
    share = follows[:, None]
    force[which, :3] = (mass[:, None] * draw + pull * (1 - share))[which]
    force[which, 3:] = (inertia[:, None] * wring)[which]


def _meetings(model: Any, data: Any) -> NDArray[np.int64]:
    """(n, 2) pairs of bodies that touch."""
    bodies = model.geom_bodyid[data.contact.geom[: data.ncon]].astype(np.int64)
    return np.asarray((bodies[(bodies > 0).all(1)] - 1) // 2)


def _touched(model: Any, data: Any, held: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which held bodies meet another one."""
    found = np.zeros_like(held)
    found[_meetings(model, data).ravel()] = True
    return found & held


def _roused(model: Any, data: Any, asleep: NDArray[np.bool_], fast: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which sleeping bodies one that is fast meets."""
    found = np.zeros_like(asleep)
    for one, other in (_meetings(model, data).T, _meetings(model, data)[:, ::-1].T):
        found[one[fast[other]]] = True
    return found & asleep


def _stopped(
    model: Any, data: Any, before: Stretch | None, at: Floats, turn: Floats, frame: int, wanted: Wanted
) -> None:
    """What the solver could not solve begins again at rest where it was a frame ago."""
    import mujoco

    mujoco.mj_resetData(model, data)
    place = data.qpos.reshape(-1, 7)
    if frame:
        place[:, :3], place[:, 3:] = at[frame - 1], turn[frame - 1]
    elif before is not None:
        place[:, :3], place[:, 3:] = before.places[-1], before.turns[-1]
    else:
        place[:, :3], place[:, 3:] = wanted.places[0], wanted.turns[0]
