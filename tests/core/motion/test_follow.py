"""Follow-through against the exact damped oscillator; reaches, shivers and their order."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from moss_crown.core.deform.chain import distances
from moss_crown.core.document.defaults import new_shot
from moss_crown.core.document.door import read_shot, write_shot
from moss_crown.core.document.motion import (
    Cadence,
    DriveStep,
    Everywhere,
    FollowStep,
    Noise,
    Offset,
    ShiverStep,
    Swing,
    Zone,
)
from moss_crown.core.evaluation.evaluation import Evaluation
from moss_crown.core.motion.follow import followed, grid
from moss_crown.core.motion.reach import (
    Units,
    cadence_ranks,
    cadence_reach,
    cadence_starts,
    reach_of,
    swing_reach,
    zone_reach,
)

FPS = (12.0, 23.976, 24.0, 25.0, 60.0, 120.0)


def after(target, frames, fps, tempo, damping, spring=True):
    """What follows a target given as a function of seconds."""
    at = grid(0.0, float(np.max(frames)), fps)
    count = (len(at) - 1) // 2
    targets = target(at / fps)[:, None]
    return followed(targets, frames, 0.0, fps, np.full(count, spring), np.full(count, tempo), np.full(count, damping))[
        :, 0
    ]


def step_response(t, tempo, damping):
    """1 - the free motion of a damped oscillator let go at 1."""
    w = 2 * np.pi * tempo
    if damping < 1:
        wd = w * np.sqrt(1 - damping**2)
        return 1 - np.exp(-damping * w * t) * (np.cos(wd * t) + damping * w / wd * np.sin(wd * t))
    if damping == 1:
        return 1 - np.exp(-w * t) * (1 + w * t)
    a, b = w * (damping - np.sqrt(damping**2 - 1)), w * (damping + np.sqrt(damping**2 - 1))
    return 1 + (a * np.exp(-b * t) - b * np.exp(-a * t)) / (b - a)


@pytest.mark.parametrize("fps", FPS)
@pytest.mark.parametrize("damping", [0.0, 0.2, 1.0, 2.5])
def test_a_ramp_is_followed_as_the_closed_form_says(fps, damping):
    """A ramp of 1 a second: the integral of the step response."""
    frames = np.linspace(0, 3 * fps, 97)
    fine = np.linspace(0, 3, 60_001)
    integral = np.concatenate(
        [[0], np.cumsum((step_response(fine[1:], 1.5, damping) + step_response(fine[:-1], 1.5, damping)) / 2)]
    ) * (fine[1] - fine[0])
    found = after(lambda t: t, frames, fps, 1.5, damping)
    assert found == pytest.approx(np.interp(frames / fps, fine, integral), abs=1e-6)


@pytest.mark.parametrize("fps", FPS)
def test_a_swinging_target_is_followed_as_the_closed_form_says(fps):
    """Against the exact answer to 1 - cos(p t): steady part plus what dies away."""
    p, w, z = 5.0, 2 * np.pi * 2.0, 0.3
    h = w * w / (w * w - p * p + 2j * z * w * p)
    frames = np.linspace(0, 2 * fps, 77)
    t = frames / fps
    steady = 1 - (h * np.exp(1j * p * t)).real
    x0, v0 = h.real - 1, (h * 1j * p).real
    wd = w * np.sqrt(1 - z * z)
    free = np.exp(-z * w * t) * (x0 * np.cos(wd * t) + (v0 + z * w * x0) / wd * np.sin(wd * t))
    assert after(lambda s: 1 - np.cos(p * s), frames, fps, 2.0, 0.3) == pytest.approx(steady + free, abs=1e-6)


@pytest.mark.parametrize("fps", [12.0, 24.0, 25.0, 60.0])
def test_a_lag_is_an_exponential_average(fps):
    frames = np.linspace(0, 2 * fps, 50)
    t = frames / fps
    assert after(lambda s: s, frames, fps, 0.2, 0.0, spring=False) == pytest.approx(
        t - 0.2 * (1 - np.exp(-t / 0.2)), abs=1e-9
    )


def test_a_cadences_arrival_against_a_numeric_integral():
    """The target has kinks where a letter starts and arrives; they lie on the grid."""
    cadence = Cadence(start=6, duration=10)
    units = Units(np.zeros((1, 3)), lambda: np.zeros((1, 1, 3)))
    fps, w, z = 24.0, 2 * np.pi * 2.2, 0.25

    def target(t):
        return cadence_reach(cadence, np.atleast_1d(t) * fps, units)[:, 0]

    frames = np.linspace(0, 40, 81)
    found = after(target, frames, fps, 2.2, 0.25)
    kinks, state, expected = [0, 6 / fps, 16 / fps, 40 / fps], [1.0, 0.0], np.ones(len(frames))
    for a, b in pairwise(kinks):
        inside = (frames / fps >= a) & (frames / fps <= b)
        run = solve_ivp(
            lambda t, s: [s[1], w * w * (target(t)[0] - s[0]) - 2 * z * w * s[1]],
            (a, b),
            state,
            rtol=1e-11,
            atol=1e-12,
            dense_output=True,
            method="DOP853",
        )
        expected[inside] = run.sol(frames[inside] / fps)[0]
        state = run.y[:, -1]
    assert found == pytest.approx(expected, abs=1e-6)
    assert found.min() < -0.2


def shot_with(*steps, text="SALT ROADS", **more):
    raw = write_shot(new_shot(text=text))
    raw["steps"] = [*raw["steps"][:2], *(s.model_dump(mode="json") for s in steps), *raw["steps"][3:]]
    return read_shot(raw | more)


ARRIVE = DriveStep(id="arrive", offset=Offset(move=(0, 2, 0), turn=(0, 90, 0), scale=(0.5, 0.5, 0.5)))
SPRING = FollowStep(id="spring", tempo=2.0, damping=0.2)


def places(shot, frames, **more):
    return Evaluation(shot).poses(Evaluation(shot).structure(0), np.asarray(frames, float), **more)[..., :3, 3]


@pytest.mark.parametrize(
    "steps",
    [
        (ARRIVE, SPRING),
        (ARRIVE, SPRING, ARRIVE.model_copy(update={"id": "b"}), SPRING.model_copy(update={"id": "c"})),
        (ARRIVE, SPRING, ShiverStep(id="s")),
    ],
)
def test_any_frame_alone_has_the_same_bits(steps):
    shot = shot_with(*steps)
    frames = np.sort(np.concatenate([np.arange(0.0, 73), np.linspace(3.1, 60.7, 20)]))
    structure = Evaluation(shot).structure(0)
    together = Evaluation(shot).poses(structure, frames)
    order = np.random.default_rng(3).permutation(len(frames))
    assert (Evaluation(shot).poses(structure, frames[order]) == together[order]).all()
    for k in order[::7]:
        assert (Evaluation(shot).poses(structure, frames[k : k + 1])[0] == together[k]).all()


def test_a_spring_overshoots_and_settles_at_rest():
    rest, springy = shot_with(ARRIVE), shot_with(ARRIVE, SPRING)
    end = places(rest, [200.0])[0]
    assert places(springy, [200.0])[0] == pytest.approx(end, abs=1e-4)
    above = places(springy, np.arange(0.0, 73))[..., 1] - end[:, 1]
    assert above.min() < -0.08 and above[0] == pytest.approx(2.25)
    assert (places(shot_with(SPRING), np.arange(5.0)) == places(shot_with(), np.arange(5.0))).all()


def test_order_decides_what_is_followed():
    rise = ARRIVE.model_copy(update={"offset": Offset(move=(0, 2, 0))})
    twice = DriveStep(id="more", offset=Offset(move=(0, 0, 1)))
    frames = np.arange(0.0, 73)
    before, later = shot_with(rise, twice, SPRING), shot_with(rise, SPRING, twice)
    plain = shot_with(rise, twice)
    assert (places(later, frames)[..., 2] == places(plain, frames)[..., 2]).all()
    assert np.abs(places(before, frames)[..., 2] - places(plain, frames)[..., 2]).max() > 0.05
    assert places(before, frames)[..., 1] == pytest.approx(places(later, frames)[..., 1])


def test_channels_and_strength():
    frames = np.arange(0.0, 73)
    half = shot_with(ARRIVE, SPRING.model_copy(update={"strength": 0.5, "turn": False, "scale": False}))
    none, full = shot_with(ARRIVE), shot_with(ARRIVE, SPRING.model_copy(update={"turn": False, "scale": False}))
    assert places(half, frames) == pytest.approx((places(none, frames) + places(full, frames)) / 2, abs=1e-12)


def test_an_offset_that_moves_is_followed_as_the_same_offset_that_stays():
    frames = np.arange(0.0, 73)
    moving = ARRIVE.model_copy(
        update={
            "offset": Offset(
                move={"keys": [{"frame": 0, "value": [0, 2, 0]}, {"frame": 9, "value": [0, 2, 0]}]},
                turn=(0, 90, 0),
                scale=(0.5, 0.5, 0.5),
            )
        }
    )
    a, b = shot_with(ARRIVE, SPRING), shot_with(DriveStep.model_validate(moving.model_dump()), SPRING)
    assert places(a, frames) == pytest.approx(places(b, frames), abs=1e-12)


@pytest.mark.parametrize(
    ("fps", "factor"), [((12, 1), 12 / 25), ((24, 1), 24 / 25), ((60, 1), 60 / 25), ((24000, 1001), 24000 / 1001 / 25)]
)
def test_the_same_spring_at_other_frame_rates(fps, factor):
    def timed(rate, scale):
        cadence = Cadence(start=5 * scale, delay=2.5 * scale, duration=20 * scale)
        return shot_with(
            ARRIVE.model_copy(update={"reaches": [cadence]}),
            SPRING,
            fps={"numerator": rate[0], "denominator": rate[1]},
            last=round(200 * scale),
        )

    frames = np.linspace(0, 70, 60)
    one, other = timed((25, 1), 1.0), timed(fps, factor)
    whole = all(float(v).is_integer() for v in (20 * factor, 10 * factor))
    assert places(other, frames * factor) == pytest.approx(places(one, frames), abs=2e-6 if whole else 2e-3)


def test_blocks_with_keys_are_followed_too():
    shot = shot_with(SPRING)
    raw = write_shot(shot)
    raw["steps"][0]["move"] = {"keys": [{"frame": 0, "value": [-3, 0, 0]}, {"frame": 12, "value": [0, 0, 0]}]}
    moved = places(read_shot(raw), np.arange(0.0, 120))[:, 0, 0]
    assert moved.max() > moved[-1] + 0.1 and moved[-1] == pytest.approx(places(shot, [0.0])[0, 0, 0], abs=1e-3)


def test_rest_is_where_the_envelope_has_shrunk():
    shot = shot_with(ARRIVE.model_copy(update={"offset": Offset(move=(0, 2, 0))}), SPRING, text="I")
    (rest,) = Evaluation(shot).timing(Evaluation(shot).structure(0), np.arange(0.0, 73)).rest
    assert Evaluation(shot).rest_frame() == rest > shot.last
    watched = places(shot, np.arange(0.0, 400))[:, 0, 1]
    off = np.abs(watched - watched[-1]) > 5e-4
    assert rest == np.flatnonzero(off)[-1] + 1
    never = shot_with(ARRIVE, SPRING.model_copy(update={"damping": 0.0}))
    assert Evaluation(never).rest_frame() > 1e5
    assert Evaluation(shot_with(ARRIVE, ShiverStep(id="s"))).rest_frame() == Evaluation(shot_with(ARRIVE)).rest_frame()


def row(count):
    spots = np.stack([np.arange(count, dtype=float), np.full(count, 0.5), np.zeros(count)], 1)
    return Units(spots, lambda: spots[None])


@settings(max_examples=30)
@given(
    st.integers(1, 30),
    st.sampled_from(["reading", "reverse", "centre_out", "edges_in", "shuffled", "axis", "near", "far"]),
)
def test_orders(count, order):
    found = cadence_ranks(Cadence(order=order, point=(count / 3, 0.5, 0)), np.zeros(1), row(count))[0][0]
    assert found.min() == 0 and found.max() <= count - 1
    if order in ("reading", "reverse", "shuffled"):
        assert sorted(found) == list(range(count))
    if order in ("centre_out", "edges_in"):
        assert found == pytest.approx(found[::-1])
    if order == "axis":
        assert found == pytest.approx(np.arange(count))


def test_whole_bend_and_pulled_letters():
    frames = np.zeros(1)
    whole = Cadence(start=3, whole=50, duration=20)
    starts = cadence_starts(whole, frames, row(7))[0]
    assert (starts[0], starts[-1] + 20) == (3, 53)
    bent = cadence_starts(whole.model_copy(update={"bend": 0.6}), frames, row(7))[0]
    assert (bent[0], bent[-1]) == (3, 33) and (bent[1:-1] < starts[1:-1]).all()
    pulled = cadence_starts(Cadence.model_validate(whole.model_dump() | {"pulled": {"2": 7, "99": 1}}), frames, row(7))[
        0
    ]
    assert pulled - starts == pytest.approx([0, 0, 7, 0, 0, 0, 0])


def test_what_leaves_is_the_arrival_reversed_and_what_passes_comes_back():
    units, frames = row(3), np.linspace(-10, 120, 300)
    arrive = Cadence(start=20, delay=4, duration=15)
    leave = cadence_reach(arrive.model_copy(update={"way": "leave"}), frames, units)
    for k in range(3):
        mirror = 2 * (20 + 4 * k) + 15 - frames
        assert leave[:, k] == pytest.approx(cadence_reach(arrive, mirror, units)[:, k], abs=1e-9)
    passing = cadence_reach(arrive.model_copy(update={"way": "pass", "stay": 8.0}), frames, units)[:, 0]
    assert passing[0] == passing[-1] == 0
    assert (passing[(frames >= 35) & (frames <= 43)] == 1).all()


def test_zones_by_their_distance():
    points = np.array([(0, 0, 0), (2, 0, 0), (0, 3, 0), (1, 1, 1)], float)
    size = np.array([1.0, 0.5, 0.25])
    assert distances("slab", size, points) == pytest.approx([-1, 1, -1, 0])
    assert distances("ball", size, points) == pytest.approx([-1, 1, 2, np.sqrt(3) - 1])
    assert distances("box", size, points) == pytest.approx([-0.25, 1, 2.5, np.hypot(0.5, 0.75)])
    assert distances("ring", size, points) == pytest.approx([0.5, 0.5, 1.5, np.hypot(np.sqrt(2) - 1, 1) - 0.5])
    zone = Zone(shape="slab", place=(2, 0, 0), size=(0.5, 1, 1), run=1.0, inside=0.8, outside=0.1)
    felt = zone_reach(zone, np.zeros(1), row(6))[0]
    assert felt[2] == pytest.approx(0.8) and felt[[0, 4, 5]] == pytest.approx(0.1)
    turned = zone_reach(zone.model_copy(update={"turn": (0.0, 0.0, 90.0)}), np.zeros(1), row(6))[0]
    assert np.ptp(turned) == 0
    sharp = zone_reach(zone.model_copy(update={"run": 0.0, "size": (0.0, 0.0, 0.0)}), np.zeros(1), row(6))[0]
    assert sharp == pytest.approx([0.1, 0.1, 0.8, 0.1, 0.1, 0.1])


def test_a_sweeping_zone_reaches_letter_after_letter():
    sweep = {"keys": [{"frame": 0, "value": [-3, 0, 0]}, {"frame": 40, "value": [9, 0, 0]}]}
    felt = zone_reach(Zone.model_validate({"place": sweep, "run": 0.3}), np.arange(41.0), row(6))
    assert (np.diff(felt.argmax(0)) > 0).all()


def test_reaches_join():
    units, frames = row(5), np.zeros(1)

    def joined(*reaches, **more):
        return reach_of(DriveStep(id="d", reaches=list(reaches), **more), frames, units, 25.0, 1)[0, 0]

    a, b = Everywhere(level=0.8), Everywhere(level=0.5)
    for mix, value in (("maximum", 0.8), ("add", 1.3), ("multiply", 0.4), ("cut", 0.4)):
        assert joined(a, b.model_copy(update={"mix": mix})) == pytest.approx(value)
    assert joined(a, b.model_copy(update={"mix": "add"}), beyond=False) == 1
    assert joined() == 1
    assert joined(b, strength=-2) == -1
    assert joined(b, response=[(0, 0), (0.5, 1), (1, 0)]) == pytest.approx(1)
    assert joined(b, response=[(0, 1), (1, 0)]) == pytest.approx(0.5)


def test_noise_moves_smoothly_each_letter_by_itself():
    drive = DriveStep(id="d", reaches=[Noise(tempo=1.0)])
    frames = np.linspace(0, 500, 5001)
    felt = reach_of(drive, frames, row(4), 25.0, 1)
    assert felt.min() >= 0 and felt.max() <= 1 and np.ptp(felt, axis=0).min() > 0.6
    assert np.abs(np.diff(felt, axis=0)).max() < 0.05
    assert np.abs(np.corrcoef(felt.T) - np.eye(4)).max() < 0.4
    alike = reach_of(DriveStep(id="d", reaches=[Noise(grain=100.0)]), frames, row(4), 25.0, 1)
    assert np.abs(alike[:, 0] - alike[:, 1]).max() < 0.1


@given(st.floats(0.2, 5), st.floats(0.01, 1), st.floats(5, 200))
def test_a_hinge_ends_at_nothing_on_its_frame(tempo, damping, settle):
    swing = Swing(start=3, delay=2, tempo=tempo, damping=damping, settle=settle)
    at = np.array([3.0, 3 + settle, 3 + settle + 1e-6, 3 + 2 * 2 + settle, 1000.0])
    felt = swing_reach(swing, at, row(3), 25.0)
    assert felt[0, 0] == 1 and felt[1:, 0] == pytest.approx(0, abs=1e-12)
    assert felt[3] == pytest.approx(0, abs=1e-12) and (felt[4] == 0).all()
    fine = swing_reach(swing, np.linspace(0, 300, 30_001), row(3), 25.0)
    assert np.abs(np.diff(fine, axis=0)).max() < 0.05


def test_a_hinge_swings_at_its_tempo():
    swing = Swing(start=0, tempo=1.0, damping=0.05, settle=250)
    felt = swing_reach(swing, np.arange(0.0, 150), row(1), 25.0)[:, 0]
    peaks = [k for k in range(1, 149) if felt[k] > felt[k - 1] and felt[k] >= felt[k + 1]]
    assert np.diff(peaks) == pytest.approx(25, abs=1)
    assert felt[peaks[1]] / felt[peaks[0]] == pytest.approx(np.exp(-2 * np.pi * 0.05), rel=0.05)


@pytest.mark.parametrize(
    ("side", "axis", "sign"), [("left", 0, -1), ("right", 0, 1), ("above", 1, 1), ("below", 1, -1)]
)
@pytest.mark.parametrize("orbit", [(0.0, 4.0), (35.0, 20.0)])
def test_letters_begin_just_outside_the_frame(side, axis, sign, orbit):
    drive = ARRIVE.model_copy(update={"offset": Offset(outside=side, turn=(50, 80, 0))})
    raw = write_shot(shot_with(drive))
    camera = next(s for s in raw["steps"] if s["kind"] == "camera")
    camera.update(orbit=list(orbit), shift=[0.1, -0.05])
    shot = read_shot(raw)
    structure = Evaluation(shot).structure(0)
    (poses,) = Evaluation(shot).poses(structure, np.array([0.0]))
    view = Evaluation(shot).camera(np.array([0.0]), shot.width / shot.height)
    world = np.einsum("lij,lcj->lci", poses[:, :3, :3], structure.boxes) + poses[:, None, :3, 3]
    seen = (world - view.poses[0, :3, 3]) @ view.poses[0, :3, :3]
    across = seen[..., axis] / -seen[..., 2] / view.half[axis] + view.shift[axis]
    nearest = (sign * across).min(1)
    assert (nearest > 1).all() and (nearest < 1.6).all()


def test_words_and_lines_feel_a_drive_as_one():
    words = shot_with(ARRIVE.model_copy(update={"scope": "word", "offset": Offset(move=(0, 2, 0))}))
    found = places(words, np.arange(0.0, 40))[..., 1]
    of_word = np.array([m.word for m in Evaluation(words).structure(0).letters])
    for word in (0, 1):
        assert np.ptp(found[:, of_word == word], axis=1).max() < 1e-9
    assert (found[:, of_word == 1][:, 0] >= found[:, of_word == 0][:, 0] - 1e-9).all()


def test_drives_and_shots_on_twos():
    shot = shot_with(ARRIVE.model_copy(update={"exposed": 2}))
    found = places(shot, np.arange(0.0, 40))
    assert (found[0::2] == found[1::2]).all()
    whole = places(shot_with(ARRIVE, exposed=3), np.arange(0.0, 39))
    assert (whole[0::3] == whole[2::3]).all()


def test_spacing_opens_a_line_from_its_middle():
    drive = DriveStep(id="d", offset=Offset(spacing=0.5), reaches=[])
    at = places(shot_with(drive, text="SALT"), [0.0])[0, :, 0] - places(shot_with(text="SALT"), [0.0])[0, :, 0]
    assert at == pytest.approx(np.array([-1.5, -0.5, 0.5, 1.5]) * 0.5)


def test_shivers_fade_and_stay_small():
    shot = shot_with(ShiverStep(id="s", move=(0.1, 0, 0), turn=(0, 0, 0), start=20, end=60, fade_in=5, fade_out=5))
    away = (places(shot, np.linspace(0, 80, 400)) - places(shot_with(), [0.0]))[..., 0]
    times = np.linspace(0, 80, 400)
    assert (away[(times < 20) | (times > 60)] == 0).all()
    assert 0.03 < np.abs(away).max() <= 0.1
