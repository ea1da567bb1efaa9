"""Speaking to a printer: over HTTP, or by a folder that it watches."""

from __future__ import annotations

import contextlib
import json
import shutil
from pathlib import Path
from typing import TypeVar
from urllib.parse import quote, urlsplit

from pydantic import ValidationError

from ..errors import DeftError
from ..words import tr
from .words import KINDS, MOST_BYTES, MOST_REPLY, SPEAKS, About, Said, Status, digest_of

S = TypeVar("S", bound=Said)

_PATIENCE = 8.0
"""Seconds without any byte after which a printer is not there."""
_MOST_PICTURE = 2**26


class PrinterTrouble(DeftError):
    """Something that a printer, or the way to it, does not do as wished."""


class NotThere(PrinterTrouble):
    """The printer cannot be reached, or stopped in the middle: what was asked may be asked again."""


class Link:
    """url : of the printer; token : that it knows. Each question has a connection of its own."""

    def __init__(self, url: str, token: str, patience: float = _PATIENCE) -> None:
        parts = urlsplit(url)
        if parts.scheme != "http" or parts.hostname not in ("127.0.0.1", "localhost") or parts.username:
            raise PrinterTrouble(tr("“{url}” is no printer on this machine.", url=url),
                                 remedy=tr("It looks like http://127.0.0.1:8123."))  # fmt: skip
        try:
            self._port = parts.port or 80
        except ValueError as error:
            raise PrinterTrouble(tr("“{url}” has no port that makes sense.", url=url)) from error
        if not token.isascii() or not token.isprintable():
            raise PrinterTrouble(tr("A token has letters, digits and signs of ASCII."))
        self._host, self._token, self._patience = parts.hostname, token, patience

    def about(self) -> About:
        """What it is, what is loaded, and its jobs. Raises PrinterTrouble."""
        about = self._said(About, "GET", "/")
        if about.speaks != SPEAKS:
            raise PrinterTrouble(
                tr(
                    "“{name}” speaks another version ({speaks}) than this program ({speaks2}).",
                    name=about.name,
                    speaks=about.speaks,
                    speaks2=SPEAKS,
                )
            )
        return about

    def status(self, job: str) -> Status:
        """Of a job. Raises PrinterTrouble."""
        return self._said(Status, "GET", f"/jobs/{job}")

    def send(self, job: str, name: str, path: Path) -> Status:
        """Sends a bed. The same one under the same id may be sent again: it is taken once.

        Raises
        ------
        PrinterTrouble : it is refused; the sentence of the printer says why. NotThere : it may be tried again.
        """
        kind = KINDS.get(path.suffix)
        if kind is None:
            raise PrinterTrouble(
                tr("“{name}” is no bed that can be sent.", name=path.name),
                remedy=tr("Send {list}.", list=" or ".join(KINDS)),
            )
        try:
            size, digest = path.stat().st_size, digest_of(path)
        except OSError as error:
            raise PrinterTrouble(
                tr("“{name}” cannot be read: {value}.", name=path.name, value=error.strerror or error)
            ) from error
        if size > MOST_BYTES:
            raise PrinterTrouble(
                tr(
                    "“{name}” has {size:.0f} MB; {most_bytes} MB can be sent.",
                    name=path.name,
                    size=size / 2**20,
                    most_bytes=MOST_BYTES >> 20,
                )
            )
        headers = {"Content-Type": kind, "Content-Length": str(size), "Content-Digest": digest}
        return self._said(Status, "PUT", f"/jobs/{job}?name={quote(name, safe='')}", headers, path, patience=120.0)

    def order(self, job: str, what: str) -> Status:
        """Does something with a job: "start", "pause", "resume" or "cancel". Raises PrinterTrouble."""
        return self._said(Status, "POST", f"/jobs/{job}/{what}", {"Content-Length": "0"})

    def load(self, grams: float) -> About:
        """Puts material in. Raises PrinterTrouble."""
        return self._said(About, "POST", "/load", body=json.dumps({"grams": grams}).encode())

    def picture(self, job: str, number: int) -> bytes:
        """PNG of a layer, from 0 on. Raises PrinterTrouble."""
        content = self._asked("GET", f"/jobs/{job}/layers/{number}", {}, None, _MOST_PICTURE, self._patience)
        if not content.startswith(b"\x89PNG"):
            raise PrinterTrouble(tr("The printer answers nonsense instead of a picture."))
        return content

    def _said(
        self, kind: type[S], method: str, path: str, headers: dict[str, str] | None = None,
        body: Path | bytes | None = None, patience: float | None = None,
    ) -> S:  # fmt: skip
        content = self._asked(method, path, headers or {}, body, MOST_REPLY, patience or self._patience)
        try:
            return kind.model_validate_json(content)
        except ValidationError as error:
            raise PrinterTrouble(
                tr("The printer answers nonsense."), remedy=tr("Is it one that this program knows?")
            ) from error

    def _asked(
        self, method: str, path: str, headers: dict[str, str], body: Path | bytes | None, most: int, patience: float
    ) -> bytes:  # fmt: skip
        """What is answered, all of it. Local import: the window's start does not wait for what it loads."""
        from http.client import HTTPConnection, HTTPException

        connection = HTTPConnection(self._host or "", self._port, timeout=patience)
        try:
            with contextlib.ExitStack() as stack:
                content = stack.enter_context(body.open("rb")) if isinstance(body, Path) else body
                with contextlib.suppress(BrokenPipeError, ConnectionResetError):  # it may refuse before it has all
                    connection.request(method, path, content, {"Authorization": f"Bearer {self._token}", **headers})
                answer = stack.enter_context(connection.getresponse())
                found = answer.read(most + 1)
        except (OSError, HTTPException, EOFError) as error:
            said = getattr(error, "strerror", None) or type(error).__name__
            raise NotThere(tr("The printer at {host}:{port} does not answer ({said}).", host=self._host,
                              port=self._port, said=said),
                           remedy=tr("Is it switched on?")) from error  # fmt: skip
        finally:
            connection.close()
        if len(found) > most:
            raise PrinterTrouble(tr("The printer answers far too much."))
        wanted = answer.getheader("Content-Length") or ""
        if wanted.isdigit() and len(found) < int(wanted):
            raise NotThere(tr("The printer stopped in the middle of its answer."))
        if answer.status >= 400:
            raise PrinterTrouble(_problem(found) or tr("The printer refuses ({status}).", status=answer.status))
        return found


def _problem(content: bytes) -> str:
    """The sentence of a printer that refuses; "" where it has none."""
    try:
        found = json.loads(content)
        said = found["problem"]
    except (ValueError, KeyError, TypeError):
        return ""
    return said[:500] if isinstance(said, str) else ""


def put_into(folder: Path, name: str, path: Path) -> Path:
    """Puts a bed into a folder that a printer watches, whole or not at all. Returns where it lies.

    Raises
    ------
    PrinterTrouble : it cannot be put there.
    """
    target = folder / f"{name}{path.suffix}"
    aside = folder / f".{name}.coming"
    try:
        shutil.copyfile(path, aside)
        aside.replace(target)
    except OSError as error:
        with contextlib.suppress(OSError):
            aside.unlink()
        raise PrinterTrouble(
            tr(
                "“{name}” cannot be put into {folder}: {value}.",
                name=path.name,
                folder=folder,
                value=error.strerror or error,
            )
        ) from error
    return target


def status_in(folder: Path, name: str) -> Status | None:
    """How a file stands that was put into a folder, as the printer has written it down; None where it has not yet.

    Raises
    ------
    PrinterTrouble : what stands there is nonsense.
    """
    try:
        content = (folder / f"{name}.status.json").read_bytes()[: MOST_REPLY + 1]
    except FileNotFoundError:
        return None
    except OSError as error:
        raise PrinterTrouble(
            tr("The folder {folder} cannot be read: {value}.", folder=folder, value=error.strerror or error)
        ) from error
    try:
        return Status.model_validate_json(content)
    except ValidationError as error:
        raise PrinterTrouble(tr("The printer has written nonsense.")) from error
