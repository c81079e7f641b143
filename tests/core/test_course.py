"""What is read of the course of a flow in time."""

import numpy as np
import pytest

from brook.core.checks import check, prepare
from brook.core.results.course import course_of
from brook.core.stages.keys import stage_keys
from brook.core.stages.meshing import make_mesh
from brook.core.stages.readings import judgement_of, read_all
from brook.core.stages.running import solve
from brook.core.study.document import study_from
from tests.core.test_time import channel

TIME = np.cumsum(np.where(np.arange(900) % 3 == 0, 0.02, 0.011))  # steps of two lengths


def swing(frequency=0.7, mean=5.0, size=2.0, start=20.0):
    """What swings round a mean, after a start far from it."""
    return mean + size * np.sin(2 * np.pi * frequency * TIME) + start * np.exp(-4 * TIME)


def test_a_sine_is_read_as_what_it_is():
    value, since = swing(), 2.0
    assert course_of(TIME, value, "frequency", since) == pytest.approx(0.7, rel=1e-3)
    assert course_of(TIME, value, "fluctuation", since) == pytest.approx(2 / 2**0.5, rel=0.02)
    assert course_of(TIME, value, "mean", since) == pytest.approx(5, abs=0.1)
    assert course_of(TIME, value, "largest", since) == pytest.approx(7, abs=0.02)
    assert course_of(TIME, value, "smallest", since) == pytest.approx(3, abs=0.02)
    assert course_of(TIME, value, "end", since) == value[-1]


@pytest.mark.parametrize("course", ["end", "mean", "largest", "smallest", "fluctuation", "frequency"])
def test_what_is_read_is_a_plain_number_that_workers_can_send(course):
    assert type(course_of(TIME, swing(), course, 2.0)) is float


def test_small_wobbles_on_a_swing_are_not_counted():
    value = swing() + 0.1 * np.sin(2 * np.pi * 9 * TIME)
    assert course_of(TIME, value, "frequency", 2.0) == pytest.approx(0.7, rel=0.01)


@pytest.mark.parametrize(("value", "since", "words"), [
    (swing(0.05), 2.0, "less than twice"), (np.full(len(TIME), 3.0), 0.0, "less than twice"), (swing(), 99.0, "after 99 s"),
])  # fmt: skip
def test_what_has_no_frequency_says_so(value, since, words):
    with pytest.raises(ValueError, match=words):
        course_of(TIME, value, "frequency", since)


def pulsing(**more):
    """A channel through which a flow pulses twice a second."""
    raw = channel().model_dump(mode="json")
    inlet = next(b for b in raw["set_up"]["boundaries"] if b["patch"] == "inlet")
    inlet["speed"] = "10 mm/s * (1 + 0.2 * sin(2 * pi * 2 Hz * t))"
    raw["set_up"]["timing"] = {
        "kind": "in_time",
        "duration": "2 s",
        "steps": "fixed",
        "step": "25 ms",
        "average_from": "0.2 s",
    }
    raw["requirements"] = [{"name": "beat", "title": "Beat", "reading": "outlet.flow.total", "course": "frequency",
                            "limit": {"kind": "at_most", "value": "3 Hz"}} | more]  # fmt: skip
    return raw


def test_the_frequency_of_a_pulse_is_read_and_judged():
    study = study_from(pulsing())
    assert check(study) == []
    prepared = prepare(study, study.variants[0])
    outcome = solve(study, prepared, make_mesh(prepared))
    (beat,) = read_all(study, prepared, outcome.fields, outcome.history)
    assert beat.value == pytest.approx(2, rel=0.01)
    judgement = judgement_of(study.requirements[0], prepared, beat.value)
    assert judgement.verdict == "pass"
    assert judgement.words == "at most 3 Hz"
    # the same reading of another course is another reading of the same run
    other = study_from(pulsing(course="largest", limit={"kind": "smallest"}))
    one, two = (stage_keys(s, prepare(s, s.variants[0])) for s in (study, other))
    assert one.run == two.run
    assert one.readings != two.readings


def test_a_frequency_needs_a_flow_in_time_and_a_limit_of_its_kind():
    raw = pulsing()
    raw["set_up"]["timing"] = {"kind": "steady"}
    raw["set_up"]["boundaries"][0]["speed"] = "10 mm/s"
    assert any("flow in time" in p.message for p in check(study_from(raw)))
    raw = pulsing(limit={"kind": "at_most", "value": "3 mL/s"})
    assert any("this is a volume flow; the reading is a rate" in p.message for p in check(study_from(raw)))
