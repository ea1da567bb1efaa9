"""Own things that are kept under a name between sessions: each a JSON file in a folder beside the settings."""

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
    """Attributes
    ----------
    key : str
        The name of its file without the ending.
    """

    key: str
    item: T


class Shelf(Generic[T]):
    """Attributes
    ----------
    folder : Path
        Its name; versions : of the documents; read : one from its JSON, raises BadPlan; named : one under
        another name.
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
        """What can be read, by name; see ``unreadable``."""
        read = [(path.stem, self._one(path)) for path in sorted(self.folder.glob("*.json"))]
        items = [ShelfItem(key, item) for key, item in read if item is not None]
        return sorted(items, key=lambda one: one.item.name.lower())

    @property
    def unreadable(self) -> list[Path]:
        """Files that cannot be read; they stay as they are."""
        return [path for path in sorted(self.folder.glob("*.json")) if self._one(path) is None]

    def keep(self, kept: ShelfItem[T]) -> None:
        """Writes one of them. Raises SaveFailed."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise SaveFailed(
                tr("The folder {folder} cannot be made: {value}.", folder=self.folder, value=error.strerror or error)
            ) from error
        self.give(kept.item, self.folder / f"{kept.key}.json")

    def give(self, item: T, path: Path) -> None:
        """Writes one to any place. Raises SaveFailed."""
        write_whole(path, (item.model_dump_json(indent=2) + "\n").encode())

    def add(self, item: T, also_taken: Collection[str] = (), keys_taken: Collection[str] = ()) -> ShelfItem[T]:
        """Keeps a new one, under a name that is free.

        Parameters
        ----------
        also_taken, keys_taken : Collection[str]
            Names and keys of others. Raises SaveFailed.
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
        """Keeps one from a file.

        Raises
        ------
        BadPlan
            The file is none.
        SaveFailed
            It cannot be kept.
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
        """Removes one."""
        (self.folder / f"{key}.json").unlink(missing_ok=True)
