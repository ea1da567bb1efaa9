"""Sends replies from the worker to the window without repeating what the window already has.

Surfaces and large arrays never change once they are made. Each gets a number when it is first sent, and from then on
the number stands for it. An unchanged piece thus reaches the window as the very object that it already has. Both ends
keep what was mentioned last, up to the same amount, and so always agree on which numbers are known.
"""

from __future__ import annotations

import io
import pickle
from collections import OrderedDict
from typing import Any

import numpy as np

from ...core.mesh.solid import Solid

MOST_BYTES = 400_000_000
_LEAST_BYTES = 16_000
"""Of an array that is worth a number."""


class _Stock:
    """What both ends have, by number. What was mentioned longest ago is dropped first."""

    def __init__(self, most: int) -> None:
        self.things: OrderedDict[int, tuple[Any, int]] = OrderedDict()
        self._most, self._bytes = most, 0

    def take(self, number: int, thing: Any, size: int) -> None:
        self.things[number] = (thing, size)
        self._bytes += size

    def mention(self, numbers: set[int]) -> list[Any]:
        """Record the numbers of a parcel; returns what is dropped for it."""
        for number in sorted(numbers):
            self.things.move_to_end(number)
        gone = []
        while self._bytes > self._most and len(self.things) > len(numbers):
            _, (thing, size) = self.things.popitem(last=False)
            self._bytes -= size
            gone.append(thing)
        return gone


def _size(thing: Any) -> int:
    return int(thing.nbytes) if isinstance(thing, np.ndarray) else 0


class Sender:
    """The worker's end."""

    def __init__(self, most: int = MOST_BYTES) -> None:
        self._stock = _Stock(most)
        self._numbers: dict[int, int] = {}
        self._count = 0

    def packed(self, message: Any) -> bytes:
        """A message as it is sent.

        Raises
        ------
        pickle.PicklingError, TypeError, AttributeError
            Part of it cannot be sent; nothing has changed then.
        """
        new: dict[int, tuple[int, Any]] = {}
        mentioned: set[int] = set()

        class Packing(pickle.Pickler):
            def persistent_id(packing, thing: Any) -> Any:  # noqa: N805 - self is the sender here
                worth = isinstance(thing, Solid) or (type(thing) is np.ndarray and thing.nbytes >= _LEAST_BYTES)
                if not worth:
                    return None
                known = self._numbers.get(id(thing)) or new.get(id(thing), (0,))[0]
                if known:
                    mentioned.add(known)
                    return known, None
                number = self._count + len(new) + 1
                new[id(thing)] = (number, thing)
                mentioned.add(number)
                return number, thing.__reduce_ex__(pickle.HIGHEST_PROTOCOL)

        buffer = io.BytesIO()
        Packing(buffer, pickle.HIGHEST_PROTOCOL).dump(message)
        for key, (number, thing) in new.items():
            self._stock.take(number, thing, _size(thing))
            self._numbers[key] = number
        self._count += len(new)
        for thing in self._stock.mention(mentioned):
            del self._numbers[id(thing)]
        return buffer.getvalue()


class Receiver:
    """The window's end, for one thread."""

    def __init__(self, most: int = MOST_BYTES) -> None:
        self._stock = _Stock(most)

    def unpacked(self, parcel: bytes) -> Any:
        """The message in a parcel."""
        stock, mentioned = self._stock, set[int]()

        class Unpacking(pickle.Unpickler):
            def persistent_load(self, pid: Any) -> Any:
                number, made = pid
                mentioned.add(number)
                if made is not None:
                    thing = _rebuilt(*made)
                    stock.take(number, thing, _size(thing))
                return stock.things[number][0]

        message = Unpacking(io.BytesIO(parcel)).load()
        stock.mention(mentioned)
        return message


def _rebuilt(make: Any, given: tuple[Any, ...], state: Any = None, *_: Any) -> Any:
    """Rebuild an object from what ``__reduce_ex__`` returned."""
    thing = make(*given)
    if state is not None:
        thing.__setstate__(state)
    if isinstance(thing, np.ndarray):
        thing.flags.writeable = False  # others will be given the very same
    return thing
