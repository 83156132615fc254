"""What can stop a command, said so that a person knows what to do now."""


class FoldKeepError(Exception):
    """Reason to stop a command before it changes anything; shown as one line, exit status 2.

    Parameters
    ----------
    what
        What is wrong, without a full stop.
    remedy
        What to do about it now, without a full stop.
    """

    def __init__(self, what: str, remedy: str) -> None:
        super().__init__(what, remedy)
        self.what = what
        self.remedy = remedy

    def __str__(self) -> str:
        return f"{self.what}; {self.remedy}"


class UnusableInput(FoldKeepError):
    """A folder, docket, stock or run number that cannot be worked with."""


class StockBusy(FoldKeepError):
    """Another Fold Keep is at work on the same stock."""


class PlaceBusy(FoldKeepError):
    """Another Fold Keep is at work in the same place, whatever stock it came with."""


class InterruptedMidway(KeyboardInterrupt):
    """Interruption of a run that had changed something; shown as one line, exit status 130.

    Parameters
    ----------
    what
        The run, and how far it came.
    remedy
        How to go on, and how to take back.
    run
        The number of the run that was interrupted.
    """

    def __init__(self, what: str, remedy: str, run: int) -> None:
        super().__init__(f"{what}; {remedy}")
        self.what = what
        self.remedy = remedy
        self.run = run


class StoppedMidway(FoldKeepError):
    """Reason why a run stopped after it changed something; shown as one line, exit status 3.

    Parameters
    ----------
    run
        The number of the run that was stopped.
    """

    def __init__(self, what: str, remedy: str, run: int) -> None:
        super().__init__(what, remedy)
        self.run = run
