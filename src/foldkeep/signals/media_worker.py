"""Reading media in a process of their own: a broken file may crash, hang or swell there and nowhere else.

The helper takes one line of JSON for each file on its standard input and answers with one on its standard
output. It has a limit on memory, and whoever asks has a limit on time; a helper that fails is replaced.
"""

import base64
import json
import os
import select
import subprocess
import sys
import time
from collections.abc import Sequence
from importlib import import_module
from types import TracebackType
from typing import Any, Self

from foldkeep.model import Facts
from foldkeep.model.extras import extra_of
from foldkeep.model.names import file_uri, path_from_uri
from foldkeep.model.work import reason_of
from foldkeep.stock import KnownPrint

from .extractors import FILM_PRINT, PHOTO_PRINT, SOUND_PRINT, Extractor
from .heif import opens_heif
from .media import kind_in
from .views import View

SECONDS = 20.0
"""How long one file may take."""

MEMORY = 4 * 1024**3
"""How many bytes of address space the helper has; most of it goes to libraries and is never touched."""


_PRINTERS = {
    PHOTO_PRINT.name: ("photo_prints", "photo_print"),
    SOUND_PRINT.name: ("sound_prints", "sound_print"),
    FILM_PRINT.name: ("film_prints", "film_print"),
}
_PIPE = 64 * 1024
_FILM_TIMES = 6  # as long as another question may take two films, of which frames between key frames are decoded
_TIMES_ITS_LENGTH, _LONGEST_FILM = 6, 4 * 60 * 60  # as long as all of a film may take, and what is longest, in seconds
_LEAST_BYTES_A_SECOND = 5_000_000  # what is read slower than that hangs


class NotRead(Exception):
    """A file could not be read now; another time it may be."""


class Apart:
    """A helper process that reads media, one file at a time; started when it is first asked.

    Parameters
    ----------
    seconds
        How long one file may take.
    """

    def __init__(self, seconds: float = SECONDS) -> None:
        self._seconds = seconds
        self._helper: subprocess.Popen[bytes] | None = None
        self._questions = self._answers = -1

    def facts(self, path: bytes, kind: str) -> Facts:
        """Return what a file of this kind says about itself; what is wrong with it is said as its `problem`.

        Raises NotRead if it could not be read now.
        """
        return Facts.from_known(self._told({"do": "facts", "uri": file_uri(path), "kind": kind}))

    def picture(self, path: bytes, kind: str) -> bytes | None:
        """Return a small picture of a file as JPEG: of a photo, of frames of a film, of a sound's wave; None if none
        can be made.

        Raises NotRead if it could not be read now.
        """
        answer = self._told({"do": "picture", "uri": file_uri(path), "kind": kind})
        return base64.b64decode(answer["jpeg"]) or None

    def look(self, path: bytes, kind: str) -> tuple[Facts, bytes | None]:
        """Return what `facts` and `picture` do, in one go.

        Raises NotRead if it could not be read now.
        """
        answer = self._told({"do": "look", "uri": file_uri(path), "kind": kind})
        return Facts.from_known(answer["facts"]), base64.b64decode(answer["jpeg"]) or None

    def view(self, path: bytes, kind: str, moments: Sequence[float] = ()) -> View:
        """Return what is to be seen of a file, of a film at moments; nothing of what is broken.

        Raises NotRead if it could not be read now.
        """
        question = {"do": "view", "uri": file_uri(path), "kind": kind, "moments": " ".join(map(repr, moments))}
        answer = self._told(question, _FILM_TIMES * self._seconds)
        pictures = tuple(base64.b64decode(picture) for picture in answer["pictures"])
        return View(pictures, base64.b64decode(answer["swings"]), answer["seconds"], tuple(answer["border"]))

    def damage(self, path: bytes, kind: str, size: int) -> str:
        """Return what is wrong with the content of a file, in words; empty if nothing was found.

        Raises NotRead if it could not be read now; a large file is given more time.
        """
        answer = self._told(
            {"do": "damage", "uri": file_uri(path), "kind": kind}, self._seconds + size / _LEAST_BYTES_A_SECOND
        )
        return str(answer["damage"])

    def outline(self, path: bytes) -> bytes:
        """Return what files with the essence of this one agree in; empty if it has none.

        Raises NotRead if it could not be read now.
        """
        return bytes.fromhex(self._told({"do": "outline", "uri": file_uri(path), "kind": ""})["outline"])

    def essence(self, path: bytes, size: int) -> dict[str, Any]:
        """Return what is known of the essence of a file: `kind`, `essence`, the hexadecimal digest, `length`, `rest`,
        and `shown`, words outside of it that change what is seen; or `none`, why it has none.

        Raises NotRead if it could not be read now; a large file is given more time.
        """
        question = {"do": "essence", "uri": file_uri(path), "kind": ""}
        return self._told(question, self._seconds + size / _LEAST_BYTES_A_SECOND)

    def essence_and_content(self, path: bytes, size: int) -> tuple[dict[str, Any], bytes]:
        """Return what `essence` does, and the digest of the content."""
        question = {"do": "essence and content", "uri": file_uri(path), "kind": ""}
        answer = self._told(question, self._seconds + size / _LEAST_BYTES_A_SECOND)
        return answer["known"], bytes.fromhex(answer["content"])

    def form(self, path: bytes) -> bytes:
        """Return the form of a file, see `decoded.form_of`; empty if nothing can be told to decode to the same.

        Raises NotRead if it could not be read now.
        """
        return bytes.fromhex(self._told({"do": "form", "uri": file_uri(path), "kind": ""})["form"])

    def decoded(self, path: bytes, size: int) -> dict[str, Any]:
        """Return what a file decodes to, as `decoded.Finding.known` gives it; or `none`, why that cannot be told.

        Raises NotRead if it could not be read now; a large file is given more time.
        """
        question = {"do": "decoded", "uri": file_uri(path), "kind": ""}
        return self._told(question, self._seconds + size / _LEAST_BYTES_A_SECOND)

    def print(self, extractor: Extractor, path: bytes, size: int) -> KnownPrint:
        """Return the print that an extractor makes of a file; one that has none says why.

        Raises NotRead if it could not be read now; a large file is given more time.
        """
        question = {"do": extractor.name, "uri": file_uri(path), "kind": ""}
        answer = self._told(question, self._seconds + size / _LEAST_BYTES_A_SECOND)
        whole, parts, detail = (base64.b64decode(answer[name]) for name in ("print", "parts", "detail"))
        said = {name: answer[name] for name in ("sharpness", "quality", "color", "within", "problem")}
        return KnownPrint(whole, parts, detail, **said)

    def difference(self, made: bytes, source: bytes, kind: str) -> str | None:
        """Return what keeps a photo or a video from being a mere reduction of another of its kind; empty if it is one.

        None if that is unknown. A film is given time by its length.
        """
        seconds = self._seconds
        if kind == "video":
            try:
                length = self.facts(source, kind).seconds or 0.0
            except NotRead:
                return None
            seconds += _TIMES_ITS_LENGTH * min(length, _LONGEST_FILM)
        question = {"do": "compare", "uri": file_uri(made), "source": file_uri(source), "kind": kind}
        return self._ask(question, seconds).get("difference")

    def films_agree(self, one: bytes, other: bytes, offset: float) -> str | None:
        """Return how many frames of two films agree, of how many, in how many views, as words; None if unknown.

        Parameters
        ----------
        offset
            Seconds at which the one begins in the other.
        """
        question = {"do": "films", "uri": file_uri(one), "source": file_uri(other), "kind": "", "offset": repr(offset)}
        return self._ask(question, _FILM_TIMES * self._seconds).get("agreement")

    def _told(self, question: dict[str, str], seconds: float | None = None) -> dict[str, Any]:
        answer = self._ask(question, seconds or self._seconds)
        if "not_read" in answer:
            raise NotRead(answer["not_read"])
        return answer

    def _ask(self, question: dict[str, str], seconds: float) -> dict[str, Any]:
        if self._helper is None:
            self._start()
        try:
            os.write(self._questions, json.dumps(question).encode() + b"\n")
        except BrokenPipeError:
            self.close()
            return {"not_read": "reading it failed"}
        line = b""
        until = time.monotonic() + seconds
        while not line.endswith(b"\n"):
            ready, _, _ = select.select([self._answers], [], [], max(0, until - time.monotonic()))
            part = os.read(self._answers, _PIPE) if ready else b""
            if not part:
                self.close()
                return {"not_read": "reading it failed" if ready else f"not read within {round(seconds, 1):g} seconds"}
            line += part
        answer: dict[str, Any] = json.loads(line)
        return answer

    def _start(self) -> None:
        theirs, self._questions = os.pipe()
        self._answers, answers = os.pipe()
        # -P: no module may be taken from the folder that the user happens to work in.
        line = [sys.executable, "-P", "-m", __spec__.name]
        try:
            self._helper = subprocess.Popen(
                line, stdin=theirs, stdout=answers, stderr=subprocess.DEVNULL, start_new_session=True
            )
        finally:
            os.close(theirs)
            os.close(answers)

    def kill(self) -> None:
        """End the helper at once, also while another thread waits for its answer."""
        if self._helper is not None:
            self._helper.kill()

    def close(self) -> None:
        """End the helper; the next question starts another."""
        if self._helper is not None:
            os.close(self._questions)
            os.close(self._answers)
            self._helper.kill()
            self._helper.wait()
            self._helper = None

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()


def _answer(question: dict[str, str]) -> dict[str, Any]:
    try:
        return _measured(question)
    except OSError as error:
        return {"not_read": reason_of(error)}
    except ModuleNotFoundError as error:
        return {"not_read": str(extra_of(error) or error)}


def _measured(question: dict[str, str]) -> dict[str, Any]:
    path = path_from_uri(question["uri"])
    kind = kind_in(path, question["kind"]) if question["kind"] else ""
    if question["do"] == "facts":
        from .media import facts_in, missing_part

        known = facts_in(path, kind).known()
        if kind == "photo" and "problem" not in known and (problem := missing_part(path)):
            known["problem"] = problem
        return known
    if question["do"] == "look":
        from .pictures import looked_at

        facts, jpeg = looked_at(path, kind)
        return {"facts": facts.known(), "jpeg": base64.b64encode(jpeg or b"").decode()}
    if question["do"] == "picture":
        from .pictures import picture_of

        return {"jpeg": base64.b64encode(picture_of(path, kind) or b"").decode()}
    if question["do"] == "compare":
        from .film_reductions import film_difference
        from .reductions import difference

        compared = film_difference if kind == "video" else difference
        return {"difference": compared(path, path_from_uri(question["source"]))}
    if question["do"] == "films":
        from .film_comparison import agreement

        found = agreement(path, path_from_uri(question["source"]), float(question["offset"]))
        return {"agreement": str(found)}
    if question["do"] == "view":
        from .views import view_of

        view = view_of(path, kind, [float(word) for word in question["moments"].split()])
        pictures = [base64.b64encode(picture).decode() for picture in view.pictures]
        swings = base64.b64encode(view.swings).decode()
        return {"pictures": pictures, "swings": swings, "seconds": view.seconds, "border": view.border}
    if question["do"] in ("outline", "essence"):
        from .essences import described, outlined

        return {"outline": outlined(path).hex()} if question["do"] == "outline" else described(path)
    if question["do"] == "essence and content":
        from .essences import described_with_content

        known, content = described_with_content(path)
        return {"known": known, "content": content.hex()}
    if question["do"] in ("form", "decoded"):
        from .decoded import decoded, form_of

        return {"form": form_of(path).hex()} if question["do"] == "form" else decoded(path)
    if question["do"] in _PRINTERS:
        module, name = _PRINTERS[question["do"]]
        return _print(getattr(import_module(f".{module}", __spec__.parent), name)(path))
    from .damage import damage_in

    return {"damage": damage_in(path, kind)}


def _print(found: KnownPrint) -> dict[str, Any]:
    blobs = {"print": found.print, "parts": found.parts, "detail": found.detail}
    said = {name: getattr(found, name) for name in ("sharpness", "quality", "color", "within", "problem")}
    return {**said, **{name: base64.b64encode(blob).decode() for name, blob in blobs.items()}}


def _serve() -> None:
    """Be the helper: answer until there are no more questions."""
    answers = os.dup(1)
    # Libraries that print must not spoil the answers.
    os.dup2(2, 1)
    try:
        import resource

        _, most = resource.getrlimit(resource.RLIMIT_AS)
        least = MEMORY if most == resource.RLIM_INFINITY else min(MEMORY, most)
        resource.setrlimit(resource.RLIMIT_AS, (least, most))
    except (ImportError, ValueError, OSError):
        pass  # not every system limits this
    opens_heif()
    for line in sys.stdin.buffer:
        answer = json.dumps(_answer(json.loads(line))).encode() + b"\n"
        while answer:
            answer = answer[os.write(answers, answer) :]


if __name__ == "__main__":
    _serve()
