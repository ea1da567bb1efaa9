"""Talks to a printer, over HTTP or through a folder that it watches."""

from __future__ import annotations

import contextlib
import json
import shutil
import socket
import threading
from pathlib import Path
from typing import TypeVar
from urllib.parse import quote, urlsplit

from pydantic import ValidationError

from ..document.regular_files import read_regular
from ..errors import DeftError
from ..locale.translate import tr
from .messages import KINDS, MOST_BYTES, MOST_REPLY, SPEAKS, About, Refusal, Said, Status, digest_of

S = TypeVar("S", bound=Said)

_PATIENCE = 8.0
"""Seconds without any byte after which a printer is not there."""
_LONGEST = 20.0
"""Seconds that one question and its whole answer may take, however the answer drips in (an assumption: the stand-ins
answer within one)."""
_SLOWEST = 2**20
"""Bytes a second: how slowly a bed may go out before its printer is given up (an assumption)."""
_MOST_PICTURE = 2**26


class PrinterTrouble(DeftError):
    """A printer, or the connection to it, does not do what was asked."""


class NotThere(PrinterTrouble):
    """The printer cannot be reached, or the connection broke. The same may be asked again."""


class UnknownJob(PrinterTrouble):
    """The printer knows no job with that id."""


class Exchange:
    """One question and its answer on a socket, within one deadline.

    Parameters
    ----------
    seconds : after which the connection is shut down, whatever is still under way on it.

    Attributes
    ----------
    seconds
        After this time the connection is shut down, whatever is still in transit.
    """

    def __init__(self, seconds: float) -> None:
        self.ended = False
        self._socket: socket.socket | None = None
        self._timer = threading.Timer(seconds, self.end)
        self._timer.daemon = True

    def __enter__(self) -> Exchange:
        self._timer.start()
        return self

    def __exit__(self, *_: object) -> None:
        self.enough()

    def enough(self) -> None:
        """Remove the deadline."""
        self._timer.cancel()

    def on(self, connected: socket.socket) -> None:
        """Watch a connection.

        Raises
        ------
        TimeoutError
            The deadline has already passed.
        """
        self._socket = connected
        if self.ended:
            raise TimeoutError

    def end(self) -> None:
        """Shut the connection down, so that whoever waits for its bytes continues. May be called from any thread."""
        self.ended = True
        if self._socket is not None:
            with contextlib.suppress(OSError):
                self._socket.shutdown(socket.SHUT_RDWR)


class Link:
    """The connection to one printer. Each question uses a connection of its own.

    Parameters
    ----------
    url : where the printer listens.
    token : that the printer knows.
    patience : seconds without any byte after which the printer is not there.
    longest : seconds for one question and the whole of its answer.

    Attributes
    ----------
    url
        Where the printer listens.
    token
        The access token that the printer expects.
    patience
        Seconds without any byte after which the printer counts as unreachable.
    longest
        Seconds for one question and its whole answer.
    """

    def __init__(self, url: str, token: str, patience: float = _PATIENCE, longest: float = _LONGEST) -> None:
        parts = urlsplit(url)
        if parts.scheme != "http" or parts.hostname not in ("127.0.0.1", "localhost") or parts.username:
            raise PrinterTrouble(tr("“{url}” is not the address of a printer on this machine.", url=url),
                                 remedy=tr("An address looks like http://127.0.0.1:8123."))
        try:
            self._port = parts.port or 80
        except ValueError as error:
            raise PrinterTrouble(tr("“{url}” has no valid port.", url=url)) from error
        if not token.isascii() or not token.isprintable():
            raise PrinterTrouble(tr("An access token has letters, digits and punctuation of ASCII."))
        self._host, self._token, self._patience, self._longest = parts.hostname, token, patience, longest
        self._under_way: set[Exchange] = set()

    def drop(self) -> None:
        """Abort what is being asked in other threads; there it raises NotThere."""
        for exchange in tuple(self._under_way):
            exchange.end()

    def about(self) -> About:
        """What the printer is, what is loaded, and its jobs.

        Raises
        ------
        PrinterTrouble
            It cannot be asked.
        """
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
        """The status of a job.

        Raises
        ------
        PrinterTrouble
            It cannot be asked.
        UnknownJob
            The printer has forgotten the job, or never had it.
        """
        return self._said(Status, "GET", f"/jobs/{job}")

    def send(self, job: str, name: str, path: Path) -> Status:
        """Send a bed. The same bed may be sent again under the same id: it is accepted once.

        Raises
        ------
        PrinterTrouble
            The printer refuses; the message is its own.
        NotThere
            It may be tried again.
        """
        kind = KINDS.get(path.suffix)
        if kind is None:
            raise PrinterTrouble(
                tr("“{name}” is not a bed that can be sent.", name=path.name),
                remedy=tr("Send {list}.", list=" or ".join(KINDS)),
            )
        try:
            digest, size = digest_of(path), path.stat().st_size
        except OSError as error:
            raise PrinterTrouble(
                tr("“{name}” cannot be read: {value}.", name=path.name, value=error.strerror or error)
            ) from error
        if size > MOST_BYTES:
            raise PrinterTrouble(
                tr(
                    "“{name}” has {size:.0f} MB. At most {most_bytes} MB can be sent.",
                    name=path.name,
                    size=size / 2**20,
                    most_bytes=MOST_BYTES >> 20,
                )
            )
        headers = {"Content-Type": kind, "Content-Length": str(size), "Content-Digest": digest}
        where = f"/jobs/{job}?name={quote(name, safe='')}"
        return self._said(Status, "PUT", where, headers, path, patience=120.0, longest=120.0 + size / _SLOWEST)

    def order(self, job: str, what: str) -> Status:
        """Control a job: "start", "pause", "resume" or "cancel".

        Raises
        ------
        PrinterTrouble
            The printer refuses, or cannot be asked.
        """
        return self._said(Status, "POST", f"/jobs/{job}/{what}", {"Content-Length": "0"})

    def load(self, grams: float) -> About:
        """Load material.

        Parameters
        ----------
        grams : float
            How much, in g.

        Raises
        ------
        PrinterTrouble
            The printer refuses, or cannot be asked.
        """
        return self._said(About, "POST", "/load", body=json.dumps({"grams": grams}).encode())

    def picture(self, job: str, number: int) -> bytes:
        """The picture of a layer as a PNG.

        Parameters
        ----------
        number : int
            The number of the layer, from 0 on.

        Raises
        ------
        PrinterTrouble
            The printer refuses, or cannot be asked.
        """
        content = self._asked("GET", f"/jobs/{job}/layers/{number}", {}, None, _MOST_PICTURE)
        if not content.startswith(b"\x89PNG"):
            raise PrinterTrouble(tr("The printer did not answer with a picture."))
        return content

    def _said(
        self, kind: type[S], method: str, path: str, headers: dict[str, str] | None = None,
        body: Path | bytes | None = None, patience: float | None = None, longest: float | None = None,
    ) -> S:
        content = self._asked(method, path, headers or {}, body, MOST_REPLY, patience, longest)
        try:
            return kind.model_validate_json(content)
        except ValidationError as error:
            raise PrinterTrouble(
                tr("The printer's answer cannot be understood."), remedy=tr("Is it one that this program knows?")
            ) from error

    def _asked(
        self, method: str, path: str, headers: dict[str, str], body: Path | bytes | None, most: int,
        patience: float | None = None, longest: float | None = None,
    ) -> bytes:
        """The whole answer to a question. The HTTP client is imported here, so that the start of the window does not
        wait for it.
        """
        from http.client import HTTPConnection, HTTPException

        connection = HTTPConnection(self._host or "", self._port, timeout=patience or self._patience)
        exchange = Exchange(longest or self._longest)
        self._under_way.add(exchange)
        try:
            with contextlib.ExitStack() as stack:
                stack.enter_context(exchange)
                connection.connect()
                exchange.on(connection.sock)
                content = stack.enter_context(body.open("rb")) if isinstance(body, Path) else body
                with contextlib.suppress(BrokenPipeError, ConnectionResetError):  # it may refuse before it has all
                    connection.request(method, path, content, {"Authorization": f"Bearer {self._token}", **headers})
                answer = stack.enter_context(connection.getresponse())
                found = answer.read(most + 1)
        except (OSError, HTTPException, EOFError) as error:
            said = getattr(error, "strerror", None) or type(error).__name__
            if exchange.ended:
                said = tr("its answer did not end")
            raise NotThere(tr("The printer at {host}:{port} does not answer ({said}).", host=self._host,
                              port=self._port, said=said),
                           remedy=tr("Is it switched on?")) from error
        finally:
            connection.close()
            self._under_way.discard(exchange)
        if exchange.ended:
            raise NotThere(tr("The printer stopped in the middle of its answer."))
        if len(found) > most:
            raise PrinterTrouble(tr("The printer's answer is far too long."))
        wanted = answer.getheader("Content-Length") or ""
        if wanted.isdigit() and len(found) < int(wanted):
            raise NotThere(tr("The printer stopped in the middle of its answer."))
        if answer.status >= 400:
            kind = UnknownJob if answer.status == 404 else PrinterTrouble
            raise kind(_problem(found) or tr("The printer refuses ({status}).", status=answer.status))
        return found


def _problem(content: bytes) -> str:
    """The message of a printer that refuses; empty if there is none."""
    try:
        return Refusal.model_validate_json(content).problem
    except ValidationError:
        return ""


def put_into(folder: Path, name: str, path: Path) -> Path:
    """Put a bed into a folder that a printer watches, completely or not at all. Returns where it lies.

    Raises
    ------
    PrinterTrouble
        It cannot be put there.
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
    """The status of a file in a watched folder, as the printer has written it down; None if it has not yet.

    Raises
    ------
    PrinterTrouble
        What was written down is invalid.
    """
    try:
        content = read_regular(folder / f"{name}.status.json")[: MOST_REPLY + 1]
    except FileNotFoundError:
        return None
    except OSError as error:
        raise PrinterTrouble(
            tr("The folder {folder} cannot be read: {value}.", folder=folder, value=error.strerror or error)
        ) from error
    try:
        return Status.model_validate_json(content)
    except ValidationError as error:
        raise PrinterTrouble(tr("The status that the printer wrote cannot be understood.")) from error
