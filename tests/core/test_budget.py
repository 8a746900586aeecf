"""How long a computation may take, and for whom."""

import json
import time

import pytest

from ewerer.core.devices.library import parse_job, shipped_library
from ewerer.core.plan import plan
from ewerer.core.trade.budget import ClientGone, DeadlineExceeded, allowing, check_deadline, remaining_s, within
from tests.jobs import SKERRY, changed

JOB = parse_job(json.dumps(changed(SKERRY)), shipped_library())


def test_where_no_time_was_given_nothing_is_stopped():
    check_deadline()
    assert plan(JOB).findings


def test_a_plan_stops_when_its_time_is_spent_or_nobody_waits_for_it_any_more():
    with pytest.raises(DeadlineExceeded), within(0.0):
        plan(JOB)
    with pytest.raises(ClientGone), within(60.0, lambda: True):
        plan(JOB)
    with within(60.0, lambda: False):
        assert plan(JOB).findings


def test_waiting_costs_nothing_of_it_and_computing_does():
    with within(0.05):
        time.sleep(0.15)
        check_deadline()
        until = time.thread_time() + 0.08
        with pytest.raises(DeadlineExceeded):
            while time.thread_time() < until:
                check_deadline()


def test_what_was_given_inside_ends_with_it():
    with within(60.0):
        with pytest.raises(DeadlineExceeded), within(0.0):
            time.sleep(0.001)
            while True:
                check_deadline()
        check_deadline()
    check_deadline()


def test_what_is_allowed_more_has_it_and_still_ends_when_nobody_waits():
    with within(0.0):
        with allowing(60.0):
            assert plan(JOB).findings and 50 < remaining_s() <= 60
        with pytest.raises(DeadlineExceeded):
            plan(JOB)
    with within(60.0, lambda: True), allowing(60.0), pytest.raises(ClientGone):
        check_deadline()
    with pytest.raises(DeadlineExceeded), allowing(0.0):
        plan(JOB)
