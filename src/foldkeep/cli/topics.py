"""Topics of `foldkeep help`: what is worth knowing apart from any one command."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from .environment import Environment

WORDS = {
    "place": "a folder, drive or share that you have scanned; its role is working, backup or archive",
    "volume": "the file system that a place lies on; a copy on another volume may be a backup",
    "stock": "all that Fold Keep knows about the files in your places: one SQLite file",
    "kind": "photo, video, audio, document, packed, sidecar, catalog, project or other; you can add your own",
    "digest": "the BLAKE3 hash of a file's whole content: equal digests, equal contents",
    "set": "the copies of one content; hard links to one file count once",
    "keeper": "the copy of a set that stays",
    "spare": "a copy that may go, since its keeper stays",
    "essence": "the picture or sound itself, without what is written about it",
    "rest": "what of a released file is no essence; kept, so that unfold can rebuild the file",
    "likeness": "what files of different content have in common that look or sound alike; it only suggests",
    "companion": "a file that belongs to another: a sidecar, the JPEG beside a raw file, subtitles beside a video",
    "orphan": "a file that a catalogue does not know, or a sidecar or preview whose master is gone",
    "missing": "an entry of a catalogue whose file is not there",
    "regenerable": "a render, proxy, preview or other cache that is proved to be made again from its source",
    "docket": "a CSV list of files, with what is proposed for each and why; you may change it before it is carried out",
    "fold": "to move a file into the folder .foldkeep at the top of its place, where it waits; also that folder",
    "unfold": "to bring folded files back to where they were",
    "release": "to delete folded files for good; only then is their space free",
    "run": "one carrying-out of a docket, with a number that unfold and release take",
    "ledger": "the record of every run and every file in it",
    "inventory": "a file with what is known about places, to use while their drive is away",
    "project": "a folder with a timeline, an edit decision list or another document of a project",
    "package": "an archived project: a BagIt bag that anyone can verify",
    "recipe": "a rule by which regenerable files and their sources are recognised",
    "sidecar": "a small file beside a photo or video with what was written about it, such as XMP",
}
"""What each word of Fold Keep means, for people."""


def write_words(env: "Environment") -> None:
    """Write the words and what they mean on standard output."""
    from argparse import Namespace

    from foldkeep.show.page import Column

    page = env.page(Namespace(no_color=False))
    page.table([Column("word", style="bold", whole=True), Column("meaning")], list(WORDS.items()))


TOPICS = {"words": write_words}
"""What `foldkeep help` can be asked for beside commands, and what writes it."""
