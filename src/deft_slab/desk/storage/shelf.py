"""The user's own things that are kept under a name: each a JSON file in a folder beside the settings."""

from __future__ import annotations

import logging
import re
from collections.abc import Callable, Collection
from dataclasses import dataclass
from pathlib import Path
from typing import Generic, Protocol, TypeVar

from ...core.document.migrations import Versions
from ...core.document.regular_files import read_regular
from ...core.errors import BadPlan, SaveFailed
from ...core.exporting.safe_writing import write_whole
from ...core.locale.translate import tr
from ...logbook import home
from .backups import keep_if_older

_log = logging.getLogger(__name__)
MOST_LETTERS = 60
"""Of a name."""


class Named(Protocol):
    """A document with a name."""

    @property
    def name(self) -> str: ...

    def model_dump_json(self, *, indent: int | None = None) -> str: ...


T = TypeVar("T", bound=Named)


@dataclass(frozen=True)
class ShelfItem(Generic[T]):
    """An item on a shelf: a recipe, a preset or a printer.

    Attributes
    ----------
    key : str
        The name of its file without the ending.
    """

    key: str
    item: T


class Shelf(Generic[T]):
    """A folder of such things.

    Attributes
    ----------
    folder : Path
        The name of the folder. ``versions`` are those of the documents, ``read`` makes one from its JSON and
        raises BadPlan, and ``named`` gives one another name.
    """

    def __init__(
        self, folder: str, versions: Versions, read: Callable[[bytes], T], named: Callable[[T, str], T]
    ) -> None:
        self._folder, self._versions, self._read, self._named = folder, versions, read, named

    @property
    def folder(self) -> Path:
        return home() / self._folder

    def _one(self, path: Path) -> T | None:
        try:
            text = path.read_bytes()
            keep_if_older(path, text, self._versions)
            return self._read(text)
        except (OSError, BadPlan):
            _log.warning("%s could not be read", path, exc_info=True)
            return None

    @property
    def all(self) -> list[ShelfItem[T]]:
        """Those that can be read, sorted by name; see ``unreadable``."""
        read = [(path.stem, self._one(path)) for path in sorted(self.folder.glob("*.json"))]
        items = [ShelfItem(key, item) for key, item in read if item is not None]
        return sorted(items, key=lambda one: one.item.name.lower())

    @property
    def unreadable(self) -> list[Path]:
        """Files that cannot be read; they are left alone."""
        return [path for path in sorted(self.folder.glob("*.json")) if self._one(path) is None]

    def keep(self, kept: ShelfItem[T]) -> None:
        """Write one of them.

        Raises
        ------
        SaveFailed
            It cannot be written.
        """
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise SaveFailed(
                tr("The folder {folder} cannot be created: {value}.", folder=self.folder, value=error.strerror or error)
            ) from error
        self.give(kept.item, self.folder / f"{kept.key}.json")

    def give(self, item: T, path: Path) -> None:
        """Write one to any path.

        Raises
        ------
        SaveFailed
            It cannot be written.
        """
        write_whole(path, (item.model_dump_json(indent=2) + "\n").encode())

    def add(self, item: T, also_taken: Collection[str] = (), keys_taken: Collection[str] = ()) -> ShelfItem[T]:
        """Add a new one under a free name.

        Parameters
        ----------
        also_taken, keys_taken : Collection[str]
            Names and keys that are taken as well.

        Raises
        ------
        SaveFailed
            It cannot be written.
        """
        names = {kept.item.name for kept in self.all} | set(also_taken)
        name, number = item.name, 2
        while name in names:
            name, number = f"{item.name[: MOST_LETTERS - 6]} {number}", number + 1
        slug = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-") or self._versions.name
        keys = {path.stem for path in self.folder.glob("*.json")} | set(keys_taken)  # also those that cannot be read
        key, number = slug, 2
        while key in keys:
            key, number = f"{slug}-{number}", number + 1
        kept = ShelfItem(key, self._named(item, name))
        self.keep(kept)
        return kept

    def take_in(self, path: Path, also_taken: Collection[str] = (), keys_taken: Collection[str] = ()) -> ShelfItem[T]:
        """Import one from a file.

        Raises
        ------
        BadPlan
            The file is not one.
        SaveFailed
            It cannot be written.
        """
        try:
            text = read_regular(path)
        except OSError as error:
            raise BadPlan(
                tr("“{name}” cannot be read: {value}.", name=path.name, value=error.strerror or error)
            ) from error
        item = self._read(text)
        return self.add(item if item.name else self._named(item, path.stem[:MOST_LETTERS]), also_taken, keys_taken)

    def remove(self, key: str) -> None:
        """Delete the file of an item, if there is one."""
        (self.folder / f"{key}.json").unlink(missing_ok=True)
