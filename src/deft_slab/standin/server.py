"""A stand-in printer on this machine's own network, for clients that know its access token.

    GET  /                            what it is, what is loaded, its jobs
    POST /load      {"grams": g}      add material
    POST /trouble   {"kind": k, "layer": n, "seconds": s}     request a fault
    PUT  /jobs/ID?name=NAME           a bed: model/3mf or application/zip, with Content-Length and Content-Digest
    GET  /jobs/ID                     its status
    POST /jobs/ID/start|pause|resume|cancel
    GET  /jobs/ID/layers/N            a layer as a PNG, from 0 on

All requests need "Authorization: Bearer TOKEN" (RFC 6750). A request that cannot be met is answered by
{"problem": sentence}.
"""

from __future__ import annotations

import base64
import contextlib
import hashlib
import hmac
import json
import logging
import re
import socket
from http import HTTPStatus
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs, unquote, urlsplit

from pydantic import BaseModel, ValidationError
from pydantic_core import from_json

from ..core.document.base import first_problem
from ..core.errors import DeftError, SaveFailed, UnreadableFile
from ..core.printing.link import Exchange
from ..core.printing.messages import KINDS, MOST_BYTES
from .machine import Awaited, Machine, file_beside, sentence_of

_PATIENCE = 10.0
"""Seconds that it waits for the next bytes of a message."""
_LONGEST = 15.0
"""Seconds that the head of a message, and a short body, may take in all, however they drip in."""
_SLOWEST = 2**20
"""Bytes a second: how slowly a bed may come in."""
_MOST_JSON = 65_536
_MOST_DIGITS = 18
_PIECE = 1 << 20
_ID = r"(?P<id>[a-z0-9][a-z0-9-]{0,63})"
_log = logging.getLogger(__name__)
_ENDINGS = {kind: ending for ending, kind in KINDS.items()}


class Refused(Exception):
    """A refusal.

    Attributes
    ----------
    status
        The HTTP status.
    problem
        A sentence.
    """

    def __init__(self, status: HTTPStatus, problem: str) -> None:
        super().__init__(problem)
        self.status, self.problem = status, problem


class Server(ThreadingHTTPServer):
    """The server of a machine. Port 0 takes any free one.

    Attributes
    ----------
    folder
        Where bodies are received.
    """

    daemon_threads = True
    block_on_close = False

    def __init__(self, machine: Machine, token: str, folder: Path, port: int = 0) -> None:
        super().__init__(("127.0.0.1", port), _Handler)
        self.machine, self.token, self.folder = machine, token, folder

    @property
    def url(self) -> str:
        """Its address."""
        return f"http://127.0.0.1:{self.server_address[1]}"

    def handle_error(self, request: Any, client_address: Any) -> None:
        """Ignore clients that hang up in the middle of a message, which is not an error of this program."""


class _Handler(BaseHTTPRequestHandler):
    server: Server
    protocol_version = "HTTP/1.1"
    server_version, sys_version = "DeftSlabStandIn/1", ""
    timeout = _PATIENCE

    def handle_one_request(self) -> None:
        with Exchange(_LONGEST) as self._head:
            self._head.on(self.connection)
            super().handle_one_request()

    def send_error(self, code: int, message: str | None = None, explain: str | None = None) -> None:
        """Answer a malformed HTTP request with a sentence, like any other."""
        self.close_connection = True
        self._send(HTTPStatus(code), {"problem": message or HTTPStatus(code).description})

    def do_GET(self) -> None:
        self._answer()

    def do_PUT(self) -> None:
        self._answer()

    def do_POST(self) -> None:
        self._answer()

    def log_message(self, format: str, *args: object) -> None:
        """Print nothing."""

    def _answer(self) -> None:
        if self.server.machine.silent:
            self.close_connection = True
            with contextlib.suppress(OSError):
                self.connection.shutdown(socket.SHUT_RDWR)
            return
        try:
            self._allow()
            status, content = self._done()
        except Refused as refused:
            status, content = refused.status, {"problem": refused.problem}
        except KeyError as error:
            status, content = HTTPStatus.NOT_FOUND, {"problem": f"There is no {error.args[0]}."}
        except UnreadableFile as error:
            status, content = HTTPStatus.UNPROCESSABLE_ENTITY, {"problem": sentence_of(error)}
        except SaveFailed as error:
            status, content = HTTPStatus.INSUFFICIENT_STORAGE, {"problem": sentence_of(error)}
        except DeftError as error:
            status, content = HTTPStatus.CONFLICT, {"problem": sentence_of(error)}
        except Exception:  # noqa: BLE001 - the border of the server: whoever asks gets an answer, the log gets the rest
            _log.exception("answering %s %s failed", self.command, self.path)
            status, content = HTTPStatus.INTERNAL_SERVER_ERROR, {"problem": "Something went wrong in the printer."}
        if status >= 400:
            self.close_connection = True  # what is left of a body that was not read would be taken for a request
        self._send(status, content)

    def _allow(self) -> None:
        given = self.headers.get("Authorization", "")
        # names of the network that lead here are refused: a page of elsewhere in a browser might use one
        host = (self.headers.get("Host") or "").rsplit(":", 1)[0]
        if host not in ("127.0.0.1", "localhost"):
            raise Refused(HTTPStatus.FORBIDDEN, "It is asked for by another name than its own.")
        if not hmac.compare_digest(given.encode(), f"Bearer {self.server.token}".encode()):
            raise Refused(HTTPStatus.UNAUTHORIZED, "The token is not the one of this printer.")

    def _done(self) -> tuple[HTTPStatus, BaseModel | dict[str, object] | bytes]:
        """The status and the answer for a request."""
        machine, url = self.server.machine, urlsplit(self.path)
        path = unquote(url.path)
        match self.command, path:
            case "GET", "/":
                return HTTPStatus.OK, machine.about()
            case "POST", "/load":
                grams = self._json().get("grams")
                if not isinstance(grams, int | float) or isinstance(grams, bool) or not 0 < grams <= 1e6:
                    raise Refused(HTTPStatus.BAD_REQUEST, "It does not say how many grams.")
                machine.load(float(grams))
                return HTTPStatus.OK, machine.about()
            case "POST", "/trouble":
                try:
                    machine.await_trouble(Awaited.model_validate(self._json()))
                except ValidationError as error:
                    raise Refused(HTTPStatus.BAD_REQUEST, first_problem(error)) from error
                return HTTPStatus.OK, {}
        found = re.fullmatch(rf"/jobs/{_ID}(?P<rest>/.*)?", path)
        if found is None:
            raise Refused(HTTPStatus.NOT_FOUND, "There is nothing by that name here.")
        job, rest = found["id"], found["rest"] or ""
        if self.command == "PUT" and not rest:
            status, new = self._take(job, parse_qs(url.query).get("name", [job])[0][:200])
            return HTTPStatus.CREATED if new else HTTPStatus.OK, status
        if self.command == "GET" and not rest:
            return HTTPStatus.OK, machine.status(job)
        if self.command == "GET" and (layer := re.fullmatch(r"/layers/(\d{1,6})", rest)):
            return HTTPStatus.OK, machine.picture(job, int(layer[1]))
        if self.command == "POST" and (order := re.fullmatch(r"/(start|pause|resume|cancel)", rest)):
            self._read(_MOST_JSON)
            return HTTPStatus.OK, machine.order(job, order[1])
        raise Refused(HTTPStatus.METHOD_NOT_ALLOWED, "That cannot be done here.")

    def _length(self, most: int) -> int:
        given = self.headers.get("Content-Length", "0" if self.command != "PUT" else "")
        if self.headers.get("Transfer-Encoding") or not given:
            raise Refused(HTTPStatus.LENGTH_REQUIRED, "It must say how long it is.")
        if re.fullmatch(r"[0-9]+", given) is None:
            raise Refused(HTTPStatus.BAD_REQUEST, "Its length is no number.")
        if len(given) > _MOST_DIGITS or int(given) > most:
            raise Refused(HTTPStatus.REQUEST_ENTITY_TOO_LARGE, f"It is {given[:20]} bytes long; {most} are taken.")
        return int(given)

    def _read(self, most: int) -> bytes:
        length = self._length(most)
        content = self._pull(length) if length else b""
        if len(content) < length:
            raise Refused(HTTPStatus.BAD_REQUEST, "The message ends in the middle.")
        return content

    def _pull(self, length: int) -> bytes:
        try:
            return self.rfile.read(length)
        except TimeoutError as error:
            raise Refused(HTTPStatus.REQUEST_TIMEOUT, "The rest of the message did not come.") from error

    def _json(self) -> dict[str, Any]:
        try:
            found = from_json(self._read(_MOST_JSON))
        except ValueError as error:
            raise Refused(HTTPStatus.BAD_REQUEST, "It is no JSON.") from error
        if not isinstance(found, dict):
            raise Refused(HTTPStatus.BAD_REQUEST, "It is no object of JSON.")
        return found

    def _take(self, job: str, name: str) -> tuple[BaseModel, bool]:
        ending = _ENDINGS.get(self.headers.get("Content-Type", ""))
        if ending is None:
            raise Refused(HTTPStatus.UNSUPPORTED_MEDIA_TYPE, f"It takes {' and '.join(_ENDINGS)}.")
        left, hashed = self._length(MOST_BYTES), hashlib.sha256()
        wanted = self.headers.get("Content-Digest", "")
        body = file_beside(self.server.folder, ending)
        self._head.enough()  # a bed takes longer than what was said of it
        try:
            with Exchange(_LONGEST + left / _SLOWEST) as coming, body.open("wb") as file:
                coming.on(self.connection)
                while left:
                    piece = self._pull(min(left, _PIECE))
                    if not piece:
                        raise Refused(HTTPStatus.BAD_REQUEST, "The message ends in the middle.")
                    left -= len(piece)
                    hashed.update(piece)
                    file.write(piece)
            digest = f"sha-256=:{base64.b64encode(hashed.digest()).decode()}:"
            if wanted and wanted != digest:
                raise Refused(HTTPStatus.BAD_REQUEST, "It is not what was sent: its digest is another.")
            return self.server.machine.take(job, name, digest, ending, body)
        except OSError as error:
            problem = f"It could not be kept: {error.strerror or error}."
            raise Refused(HTTPStatus.INSUFFICIENT_STORAGE, problem) from error
        finally:
            body.unlink(missing_ok=True)

    def _send(self, status: HTTPStatus, content: BaseModel | dict[str, object] | bytes) -> None:
        if isinstance(content, BaseModel):
            body, kind = content.model_dump_json().encode(), "application/json"
        elif isinstance(content, dict):
            body, kind = json.dumps(content).encode(), "application/json"
        else:
            body, kind = content, "image/png"
        with contextlib.suppress(OSError):  # whoever asked may be gone
            self.send_response(status)
            self.send_header("Content-Type", kind)
            self.send_header("Content-Length", str(len(body)))
            if status == HTTPStatus.UNAUTHORIZED:
                self.send_header("WWW-Authenticate", "Bearer")
            if self.close_connection:
                self.send_header("Connection", "close")
            self.end_headers()
            self.wfile.write(body)
