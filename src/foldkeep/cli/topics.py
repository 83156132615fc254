"""Topics of `foldkeep help`: what is worth knowing apart from any one command."""

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from foldkeep.show.page import Page

WORDS = {
    "place": "a folder, drive or share that you have scanned; its role is working, backup or archive",
    "volume": "the file system that a place lies on; files on one volume share its space",
    "disk": "the device that a volume's bytes are on; only a copy on another disk survives a disk",
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
    "voucher": "what a machine says, signed, of keepers on it, for copies on another one to go",
    "project": "a folder with a timeline, an edit decision list or another document of a project",
    "package": "an archived project: a BagIt bag that anyone can verify",
    "recipe": "a rule by which regenerable files and their sources are recognised",
    "sidecar": "a small file beside a photo or video with what was written about it, such as XMP",
}
"""What each word of Fold Keep means, for people."""


RULES = (
    "Of the copies of a set one stays, the keeper; the others may go, the spares. Rules are asked one after"
    " another, and each narrows the copies down, until one is left. `foldkeep keep --explain` lists those in"
    " force, in their order.",
    "Rules of your own are asked first: --prefer under:DIR keeps what lies there, --give-up-under DIR folds"
    " what lies there first, --protect keeps files or folders from being folded at all, --at-least 2 keeps two"
    " copies, --per volume one on each volume.",
    "Rules choose among all copies, whatever is asked for: a filter such as --under DIR narrows what may go, and"
    " never changes which copy stays.",
    "What a timeline or another document of a project uses stays where that looks for it. An album stays"
    " whole, and so does a shoot. Copies in places of other roles, such as a backup, are not each other's"
    " spares.",
    "What you want every time goes into the settings, under [keep]: `foldkeep settings --write` makes a file"
    " with all of them, each with what it means.",
    "Each row of a docket has the reason in words, so that you can see which rule spoke.",
)
"""How the copy is chosen that stays."""

DOCKETS = (
    "A docket is a CSV table, which any spreadsheet opens: a row a file, with its set, an action, the path,"
    " size, kind, date, digest and the reason. `foldkeep keep` numbers its own (d12) and keeps them for a year;"
    " with -o each finder writes one where you say. Nothing happens until `foldkeep fold`.",
    "The action is keep, fold or leave, and you may change it: in a spreadsheet, set by set with `foldkeep"
    " review`, which saves in the docket itself, or with pictures in a browser with `foldkeep sheet`, of which"
    " the browser saves a docket of its own. Rows may be deleted and sorted.",
    "Without a name `review`, `sheet` and `fold` take the newest docket that waits, and say which. One that a"
    " later docket of the same question replaced is refused. Decisions of yours go into the later one.",
    "Whatever a docket says, each file is read again when it is carried out. A file that changed since, a copy"
    " that is no copy, or the last of its content stays, and you are told why.",
    "For --method copy and --method heal the actions are copy and heal; a method takes its own only.",
)
"""What a docket is and what may be done with it."""

SAFETY = (
    "A spare is folded only after it and its keeper were read again, then and there, and are equal to the last"
    " byte. Folding is a rename on the same drive, into the folder .foldkeep at the top of the place: nothing"
    " is copied, nothing deleted, and no space is freed.",
    "`foldkeep unfold` brings it all back, or single files with --path, also years later, on another machine,"
    " or without the stock: the journal lies beside the folded files.",
    "Only `foldkeep release` deletes, and `foldkeep fold --method delete` if you say so twice. Right before,"
    " the file and a copy of it that stays are read once more.",
    "Nothing is ever overwritten: a name that is taken gets a new one beside it. A run that was interrupted,"
    " by a signal, a power cut or a full disk, is carried on or taken back by the next command.",
    "Links are never followed, hard links and one file seen through two mounts are one file, catalogues and"
    " project documents of other programs are never written.",
)
"""What is promised."""

DRIVES = (
    "A folder that you scan becomes a place, and remembers its drive. When the drive is away, what is known of"
    " it stays: its copies are found, and you are told which drive to fetch. When it is back, under whatever"
    " path, it is known.",
    "`foldkeep places LABEL --role backup` says what a place is for. A copy on a backup is no spare, and"
    " nothing goes from a backup or an archive unless you ask for it with --role.",
    "`foldkeep inventory save FILE` keeps what a drive holds for when it lies in the cupboard; `list`,"
    " `compare`, `space` and `duplicates` take it in its place with --inventory.",
    "`foldkeep coverage` tells what lies on one volume only; `foldkeep coverage CARD` whether all of a card is"
    " elsewhere, so that it may be formatted; `foldkeep fixity` what a drive no longer gives as it was written.",
    "exFAT, FAT, NTFS, shares and servers by WebDAV or SFTP are places like others. What one of them cannot do"
    " is tried out, and said.",
)
"""How drives, cards and servers are known."""


def _write_words(page: "Page") -> None:
    from foldkeep.show.page import Column

    page.table([Column("word", style="bold", whole=True), Column("meaning")], list(WORDS.items()))


def _paragraphs(texts: "Sequence[str]") -> "Callable[[Page], None]":
    def write(page: "Page") -> None:
        for number, text in enumerate(texts):
            if number:
                page.line()
            page.line(text)

    return write


TOPICS: "dict[str, Callable[[Page], None]]" = {
    "words": _write_words,
    "rules": _paragraphs(RULES),
    "dockets": _paragraphs(DOCKETS),
    "safety": _paragraphs(SAFETY),
    "drives": _paragraphs(DRIVES),
}
"""What `foldkeep help` can be asked for beside commands, and what writes it."""
