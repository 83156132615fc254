"""Other names of files: hard links that the stock knows, and symbolic links below projects."""

import os
from collections import defaultdict
from collections.abc import Collection

from foldkeep.scan.on_disk import links_below
from foldkeep.stock import Stock

from .project_folders import ProjectFolders


def aliases(stock: Stock, projects: ProjectFolders, asked: Collection[bytes]) -> dict[bytes, list[bytes]]:
    """Return the other paths of files, by path; only of those that are asked for, and only where there are some."""
    found: dict[bytes, list[bytes]] = defaultdict(list)
    for links in stock.listing.hard_links():
        for path in links:
            if path in asked:
                found[path] += [other for other in links if other != path]
    for project in projects.documents():
        for link in links_below(project):
            target = os.path.realpath(link)
            if target in asked:
                found[target].append(link)
    return found
