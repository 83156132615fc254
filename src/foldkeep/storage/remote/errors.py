"""What a server says no with, as errors of the system with words of their own."""

import errno


class RemoteError(OSError):
    """A server refused, or answered what cannot be true; `status` is that of HTTP, 0 where there is none."""

    def __init__(self, words: str, number: int = errno.EREMOTEIO, status: int = 0) -> None:
        self.status = status
        super().__init__(number, words)


class ServerGone(RemoteError):
    """A server cannot be reached, or the connection was lost before it had answered."""

    def __init__(self, words: str) -> None:
        super().__init__(words, errno.EHOSTUNREACH)


class TryLater(RemoteError):
    """A server is too busy; `seconds` is how long it wants to be left alone, None if it does not say."""

    def __init__(self, words: str, seconds: float | None = None) -> None:
        self.seconds = seconds
        super().__init__(words, errno.EBUSY)


class NotTheFile(RemoteError):
    """What lies there is not, or no longer, the file that was asked for."""

    def __init__(self, words: str = "changed on the server meanwhile") -> None:
        super().__init__(words, errno.ESTALE)


class NotAllowed(RemoteError):
    """A server wants a name and password that nobody gave, or refused those, or its identity is not proved."""

    def __init__(self, words: str) -> None:
        super().__init__(words, errno.EACCES)
