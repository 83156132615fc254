"""Recipes, globs and manifests, and the sources that a plain search finds."""

from pathlib import Path

from harness.desks import Desk


def cut(desk: Desk, name: str = "edit/highlights.edl", clips: tuple[str, ...] = ("STG_0001.mp4",)) -> Path:
    lines = (f"{n:03d} AX V C 0 1 0 1\n* FROM CLIP NAME: {clip}\n" for n, clip in enumerate(clips, start=1))
    return desk.write(name, ("TITLE: cut\n" + "".join(lines)).encode())
