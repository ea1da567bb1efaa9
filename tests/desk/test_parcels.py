"""What the window has already does not travel to it again."""

from __future__ import annotations

import pickle

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_slab.desk.messages.parcels import Receiver, Sender
from tests.shapes import sphere


def test_a_surface_travels_once_and_is_then_the_same_object():
    sender, receiver = Sender(), Receiver()
    ball, other = sphere(20, 4), sphere(30, 4)
    first = sender.packed(("a", ball))
    again = sender.packed({"same": ball, "new": other})
    assert len(again) < 0.7 * (len(first) + len(pickle.dumps(other)))
    assert len(sender.packed([ball, other, ball])) < 500
    sender, receiver = Sender(), Receiver()
    came = receiver.unpacked(sender.packed(("a", ball)))[1]
    found = receiver.unpacked(sender.packed({"same": ball, "new": other}))
    assert found["same"] is came
    np.testing.assert_array_equal(found["new"].vertices, other.vertices)
    np.testing.assert_array_equal(came.triangles, ball.triangles)
    assert came.volume == pytest.approx(ball.volume)
    with pytest.raises(ValueError, match="read-only"):
        found["new"].vertices[0] = 0


@given(st.lists(st.lists(st.integers(0, 9), max_size=6), min_size=1, max_size=40))
def test_both_ends_agree_on_what_is_kept(parcels):
    """However little room there is for what is kept, each message comes out as it was put in."""
    things = [np.full(4000, n, float) for n in range(10)]
    sender, receiver = Sender(3 * things[0].nbytes), Receiver(3 * things[0].nbytes)
    for numbers in parcels:
        found = receiver.unpacked(sender.packed([things[n] for n in numbers]))
        assert [int(one[0]) for one in found] == numbers
        assert all(len(one) == 4000 for one in found)


def test_what_cannot_travel_leaves_both_ends_as_they_were():
    sender, receiver = Sender(), Receiver()
    large = np.arange(5000.0)
    with pytest.raises((pickle.PicklingError, AttributeError, TypeError)):
        sender.packed([large, lambda: 0])
    np.testing.assert_array_equal(receiver.unpacked(sender.packed([large]))[0], large)
    assert receiver.unpacked(sender.packed([large]))[0] is receiver.unpacked(sender.packed([large]))[0]
