"""What a docket proposes, and the rules that decide."""

import shlex
from collections.abc import Sequence
from typing import NamedTuple

from foldkeep.engine import MachineDocket
from foldkeep.keep import Proposal, Wishes
from foldkeep.keep.dockets import FolderSum
from foldkeep.model import visible
from foldkeep.model.units import format_size

from ..page.documents import Document, path_document
from ..page.going import going_documents, write_going
from ..page.lines import NOTHING_FITS
from ..page.page import CARE, STRONG, Page
from ..page.tables import Column
from ..page.words import agree, count, figures

_MOST_FOLDERS = 5


class ShownProposal(NamedTuple):
    """How a proposal is shown.

    Attributes
    ----------
    path, name, wanted
        Where the docket is, what a person types for it, and the file that was asked for; empty if none was.
    nothing_fits
        No file fits what was asked for.
    folders, most
        The sums by folder, and how many of them are shown; None for all.
    decided
        How many sets are proposed as a person decided in an earlier docket.
    """

    path: str
    name: str
    wanted: str = ""
    nothing_fits: bool = False
    folders: Sequence[FolderSum] = ()
    most: int | None = None
    decided: int = 0


class ProposalAnswer(NamedTuple):
    """Answer of `keep`."""

    proposal: Proposal
    shown: ShownProposal

    def document(self) -> Document:
        """Return the JSON document."""
        proposal = self.proposal
        return {
            "command": "keep",
            "sets": proposal.sets,
            "spares": proposal.spares,
            "reclaimable": proposal.reclaimable,
            "undecided": proposal.undecided,
            "all_stay": proposal.all_stay,
            "protected": proposal.protected,
            "protected_bytes": proposal.protected_bytes,
            "elsewhere": [{**path_document(folder), "sets": sets} for folder, sets in proposal.elsewhere.most_common()],
            "both_stay": proposal.both_stay,
            "in_use": proposal.in_use,
            "works": proposal.works,
            "works_bytes": proposal.works_bytes,
            "emptied_folders": proposal.emptied,
            "sidecars_beside": proposal.sidecars,
            "reasons": dict(proposal.reasons),
            "folders": going_documents(self.shown.folders),
            "decided": self.shown.decided,
            "docket": self.shown.path or None,
            "name": self.shown.name or None,
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        proposal = self.proposal
        shown = self.shown
        if shown.wanted and shown.path != shown.wanted:
            page.line((f"{shown.wanted} is taken, so the docket went beside it.", CARE))
        if not proposal.sets:
            why = NOTHING_FITS.removesuffix(".") if shown.nothing_fits else "No copies were found"
            page.line(f"{why}, so {'the docket is empty' if shown.path else 'there is nothing to do'}.")
            return
        name = shlex.quote(shown.name)
        if proposal.decoded:
            page.line(
                (count(proposal.decoded, "set"), STRONG), " of files that decode to the same: you decide which go."
            )
            page.line(
                f"Change their rows in {visible(shown.name)} from leave to fold, by hand or in: ",
                page.command(f"foldkeep review {name}"),
            )
            page.line("Then carry it out: ", page.command(f"foldkeep fold {name} --allow-alike"))
            return
        _write_spares(page, proposal)
        if proposal.emptied:
            become = agree(proposal.emptied, "becomes", "become")
            page.line(f"{count(proposal.emptied, 'folder')} {become} empty.")
        if proposal.reasons:
            page.line("Keepers were chosen because:")
            for reason, number in sorted(proposal.reasons.items(), key=lambda item: (-item[1], item[0])):
                page.line(f"{number:>7,}  {reason}")
        if proposal.all_stay:
            page.line(f"{count(proposal.all_stay, 'set')} without a spare: every copy has a reason to stay.")
        if proposal.protected:
            page.line(
                f"{count(proposal.protected, 'protected spare')} {agree(proposal.protected, 'stays', 'stay')} beside"
                f" the keepers: {format_size(proposal.protected_bytes)} that would come free otherwise."
            )
        for folder, sets in proposal.elsewhere.most_common(_MOST_FOLDERS):
            page.line(f"The spares of {count(sets, 'set')} lie elsewhere, in {visible(folder)}. To take those:")
            page.line(page.command(f"foldkeep keep --under {shlex.quote(visible(folder))}"), indent=2)
        if len(proposal.elsewhere) > _MOST_FOLDERS:
            page.line(f"… and in {count(len(proposal.elsewhere) - _MOST_FOLDERS, 'more folder')}.")
        if proposal.both_stay:
            page.line(
                f"{count(proposal.both_stay, 'set')} of which an edit uses a copy of its own, so that both stay; "
                f"links or clones in their place would free {format_size(proposal.in_use)} (--for-links)."
            )
        if proposal.works:
            page.line(
                f"{count(proposal.works, 'file')} of selections, or of films in the projects that made them,"
                f" {agree(proposal.works, 'stays', 'stay')} beside the keepers; links or clones in their place would"
                f" free {format_size(proposal.works_bytes)} (--for-links)."
            )
        if proposal.undecided:
            page.line((f"{count(proposal.undecided, 'set')} undecided: every copy is left as it is.", CARE))
        if not (proposal.spares or proposal.undecided):
            page.line(f"Nothing is proposed to be folded; the reasons are in {visible(shown.path)}")
            return
        write_going(page, shown.folders, shown.most)
        if shown.decided:
            page.line(f"{count(shown.decided, 'set')} as you decided before.")
        page.line("The docket (list of proposals) is ", (visible(shown.name), STRONG), ". To look at it in a browser:")
        page.line(page.command(f"foldkeep sheet {name}"), indent=2)
        page.line("To carry it out: ", page.command(f"foldkeep fold {name}"))


class MachinesAnswer(NamedTuple):
    """Answer of `keep` for several machines: a docket for each."""

    proposal: Proposal
    dockets: Sequence[MachineDocket]

    def document(self) -> Document:
        """Return the JSON document."""
        return {
            **ProposalAnswer(self.proposal, ShownProposal("", "")).document(),
            "docket": None,
            "name": None,
            "dockets": [
                {
                    "machine": each.machine,
                    "docket": each.path,
                    "spares": each.spares,
                    "keepers_elsewhere": each.elsewhere,
                }
                for each in self.dockets
            ],
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        proposal = self.proposal
        if not self.dockets:
            page.line("No copies were found, so there is no docket.")
            return
        _write_spares(page, proposal)
        page.table(
            [
                Column("machine", style=STRONG),
                Column("spares", True),
                Column("keepers elsewhere", True),
                Column("docket"),
            ],
            [
                (visible(each.machine), f"{each.spares:,}", f"{each.elsewhere:,}", visible(each.path))
                for each in self.dockets
            ],
        )
        if proposal.undecided:
            page.line((f"{count(proposal.undecided, 'set')} undecided: every copy is left as it is.", CARE))
        page.line("Look at each, and carry it out on its machine: foldkeep fold DOCKET")
        if any(each.elsewhere for each in self.dockets):
            page.line(
                "Where the keepers are elsewhere, their machine vouches for them first: foldkeep vouch DOCKET -o FILE"
            )


def _write_spares(page: Page, proposal: Proposal) -> None:
    page.line((figures(proposal.spares, proposal.reasons.total(), 0, proposal.reclaimable), STRONG), " can be folded.")
    if proposal.sidecars:
        lie = "lies" if proposal.sidecars == 1 else "lie"
        beside = count(proposal.sidecars, "sidecar")
        page.line(f"{beside} {lie} beside them; fold tells which go along with their spares.")


class RulesAnswer(NamedTuple):
    """Answer of `keep --explain`: the rules in force, and what else is asked of a choice."""

    rules: Sequence[tuple[str, str]]
    wishes: Wishes

    def document(self) -> Document:
        """Return the JSON document."""
        wishes = self.wishes
        return {
            "command": "keep",
            "rules": [{"rule": word, "prefers": text} for word, text in self.rules],
            "protect": list(wishes.protect),
            "give_up_under": [visible(folder) for folder in wishes.give_up_under],
            "at_least": wishes.at_least,
            "per": wishes.per,
        }

    def write(self, page: Page) -> None:
        """Write it for people."""
        wishes = self.wishes
        page.line("Rules narrow the copies of a set down, one after another, until one is left:")
        page.table(
            [Column("", True), Column("rule", style=STRONG, whole=True), Column("prefers")],
            [(str(number), visible(word), meaning) for number, (word, meaning) in enumerate(self.rules, start=1)],
        )
        page.line()
        for text in wishes.protect:
            page.line("Never goes: ", (visible(text), STRONG))
        for folder in wishes.give_up_under:
            page.line("Goes first, where a copy lies elsewhere: ", (visible(folder), STRONG))
        if wishes.at_least > 1:
            page.line(f"{wishes.at_least} copies stay, on different disks where there are any.")
        if wishes.per:
            page.line(f"One copy stays per {wishes.per}.")
        page.line("A sidecar stays where the file stays that it belongs to.")
