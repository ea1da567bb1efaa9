"""What is asked of the worker, and what becomes of a reply that is of something else by then."""

from __future__ import annotations

import pickle
from typing import Any, TypeVar, get_args, get_type_hints

import pytest

from deft_slab.core.printers.profile import default_printer
from deft_slab.desk.messages import check, hand_off, recipes, requests
from deft_slab.desk.messages.requests import Evaluate, FindCreases, Request
from deft_slab.desk.worker.bench import answers
from tests.desk.conftest import PATIENCE

ASKED = sorted(
    {one for module in (requests, check, hand_off, recipes) for one in vars(module).values()
     if isinstance(one, type) and issubclass(one, Request) and one is not Request and not one.__parameters__},
    key=lambda one: one.__name__,
)


def reply_of(request: type) -> Any:
    """What a class of request says that its reply is."""
    for base in request.__orig_bases__:
        (reply,) = get_args(base)
        if not isinstance(reply, TypeVar):
            return reply
    raise AssertionError(request)


@pytest.mark.parametrize("request_", ASKED)
def test_every_request_is_answered_by_what_it_promises(request_):
    _, method = answers()[request_]
    assert get_type_hints(method)["return"] == reply_of(request_)
    assert request_.__doc__


def test_nothing_is_answered_twice_or_for_nobody():
    assert set(answers()) == set(ASKED)


def test_a_request_travels(tee):
    from deft_slab.core.importing.readers import open_file
    from deft_slab.core.plan.plan import Plan

    plan = Plan(model=open_file(tee).model.ref)
    there = pickle.loads(pickle.dumps(Evaluate(plan, default_printer())))
    assert (there.plan, there.printer) == (plan, default_printer())


def test_a_reply_of_another_plan_is_dropped_and_one_that_is_still_wanted_is_not(desk, tee):
    desk.open(tee)
    state, heard = desk.state, []
    state.ask("ask:one", FindCreases(state.plan), done=lambda _: heard.append("dropped"))
    state.ask("ask:two", FindCreases(state.plan), done=lambda _: heard.append("wanted"), still=lambda: True)
    state.ask("ask:bad", FindCreases(None), done=heard.append, failed=heard.append)
    state.seats.turn((0, 1, 0), 5)
    desk.qtbot.waitUntil(lambda: not state.jobs.busy, timeout=PATIENCE)
    assert heard == ["wanted"]
    state.ask("ask:one", FindCreases(state.plan), done=lambda _: heard.append("fresh"))
    desk.qtbot.waitUntil(lambda: not state.jobs.busy, timeout=PATIENCE)
    assert heard == ["wanted", "fresh"]
