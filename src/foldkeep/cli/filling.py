"""Text filled to the width of a terminal."""


def filled(text: str, width: int) -> str:
    """Return text whose paragraphs are filled to a width.

    In a paragraph with columns or indented lines each line stays, and goes on below where its last column begins.
    """
    import re
    import textwrap

    found = []
    for paragraph in text.strip("\n").split("\n\n"):
        lines = paragraph.splitlines()
        if not any(line.startswith(" ") or "  " in line for line in lines):
            found.append(textwrap.fill(" ".join(lines), width, break_on_hyphens=False))
            continue
        kept: list[str] = []
        for line in lines:
            columns = re.match(r" *(?:\S+ {2,})*", line)
            hang = " " * min(columns.end() if columns else 0, width // 2)
            kept += textwrap.wrap(line, width, subsequent_indent=hang, break_on_hyphens=False)
        found.append("\n".join(kept))
    return "\n\n".join(found)
