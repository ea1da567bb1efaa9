"""What is worth knowing of an outcome: sentences, each with a code that says what it is about."""

from __future__ import annotations

from typing import Literal

NoteCode = Literal["file", "surface", "size", "cut", "join", "hollow", "fit", "printer", "support", "piece"]


class Note(str):
    """A sentence for a person. code : what it is about; whoever lists the same by another way passes it over by this,
    and never by its words, which depend on the language"""

    __slots__ = ("code",)
    code: NoteCode

    def __new__(cls, said: str, code: NoteCode) -> Note:
        made = super().__new__(cls, said)
        made.code = code
        return made

    def __reduce__(self) -> tuple[object, ...]:
        return Note, (str(self), self.code)
