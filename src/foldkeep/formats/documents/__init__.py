"""Documents of projects: timelines, and whatever else names the files that it uses."""

from .lengths import timeline_seconds
from .manifests import records_of
from .mentions import Mentions, mentions_in

__all__ = [
    "timeline_seconds",
    "records_of",
    "Mentions",
    "mentions_in",
]
