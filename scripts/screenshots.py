"""Take a picture of each main command's output, on the sample library, in a terminal window of 1280x800.

Needs Xvfb, xterm, the DejaVu fonts, ImageMagick's `import`, Chromium and its driver. Pictures go to docs/screenshots/.
"""

import os
import shlex
import shutil
import subprocess
import sys
import time
from pathlib import Path

from foldkeep.demo import cloud_beside

ROOT = Path(__file__).parent.parent
PICTURES = ROOT / "docs" / "screenshots"
FOLDER = Path("/tmp/kite-days")
DISPLAY = ":97"
# Name of the picture, then the lines that are typed (or what is shown, and what is run instead); the picture shows
# the screen after the last one.
# Answers as a person would type them, one after another; the picture shows the dialog.
TYPED = "(for answer in 2 '' undo stop; do sleep 0.7; echo \"$answer\"; done)"
REVIEW = "foldkeep review docket.csv"
GUIDE = "foldkeep guide library"
ANSWERED = "(sleep 1.5; echo stop)"
ONE_MORE = "# Somebody copies the drone's films once more."
COPY_ONE_MORE = "cp -r library/video/drone 'library/drone (1)'"
NO_MORE = "rm -r 'library/drone (1)'; foldkeep scan > /dev/null"
SHOW_SET = "foldkeep show s8bddfbdcea728b39"  # the poster: the sample library is the same every time
# Some weeks later: a picture was renamed, one deleted, one edited, and one came.
LATER = """\
cd "library/card copies/camera A saturday"
mv WKD_0009.jpg "best kite.jpg"; rm WKD_0010.jpg; printf x >> WKD_0011.jpg; cp ../../print/poster.png .
"""
PROXY = "library/edit/proxies/STG_0009_proxy.mp4"
CARD = "library/card copies/camera A saturday"
FORGETFUL = "# Some years later, the drive forgets a bit."
# A drive cannot be made to forget here: a byte is changed, and the stock is told that no time tells of it.
FORGET = f"{sys.executable} -c " + shlex.quote("""
import os, sqlite3
path = "library/print/poster.png"
facts, content = os.stat(path), bytearray(open(path, "rb").read())
content[5000] ^= 4
open(path, "wb").write(content)
os.utime(path, ns=(facts.st_atime_ns, facts.st_mtime_ns))
with sqlite3.connect(os.environ["FOLDKEEP_STOCK"]) as stock:
    stock.execute("UPDATE files SET read_changed_ns = ? WHERE inode = ?", (os.stat(path).st_ctime_ns, facts.st_ino))
""")
ARCHIVE = "foldkeep archive 'library/last year/highlights 2024'"
FILM = "library/last year/highlights 2024/renders/highlights 2024 final.mp4"
SHOTS = (
    ("scan", ["foldkeep scan library", "foldkeep scan shelf-drive --role backup", "foldkeep places"]),
    ("checkup", [("foldkeep checkup", "foldkeep checkup > /dev/null"), (ONE_MORE, COPY_ONE_MORE), "foldkeep checkup"]),
    ("guide", [(GUIDE, f"{ANSWERED} | script -qc 'stty cols 120; {GUIDE}' /dev/null | tail -n 41")]),
    ("duplicates", ["foldkeep duplicates --top 7"]),
    ("coverage", ["foldkeep coverage", f"foldkeep coverage '{CARD}' --top 2"]),
    ("alike", ["foldkeep alike library/press"]),
    ("show", ["foldkeep show library/stills/camera-a/day-3/WKD_0017.jpg", SHOW_SET]),
    ("orphans", ["foldkeep orphans --catalog library/lists/stills.csv --under library/stills --top 4"]),
    (
        "caches",
        [
            "foldkeep caches",
            f"foldkeep caches --explain {PROXY}",
            f"foldkeep caches --explain '{FILM}'",
        ],
    ),
    (
        "archive",
        [
            "foldkeep projects",
            f"mkdir packages restored; {ARCHIVE} --to packages --format iso",
            "foldkeep archive --check packages/*",
            "foldkeep projects --archived",
            "echo y | foldkeep restore packages/* --to restored --outside-media-back",
        ],
    ),
    ("keep", ["foldkeep keep -o docket.csv", "head -n 9 docket.csv | cut -d, -f1-3,8"]),
    ("room", ["foldkeep room 4MB -o plan", "ls plan", "foldkeep space --top 4"]),
    ("review", [(REVIEW, f"{TYPED} | script -qc 'stty cols 120; {REVIEW}' /dev/null")]),
    ("fold", ["echo y | foldkeep fold docket.csv"]),
    (
        "ledger",
        [
            "foldkeep unfold 1 --path 'library/from the desktop/poster (1).png'",
            "foldkeep ledger",
            "foldkeep ledger 1 | head -n 24",
        ],
    ),
    ("compare", ["foldkeep compare 'card copies.inventory' 'library/card copies' --top 4"]),
    (
        "fixity",
        [
            "foldkeep fixity > /dev/null",
            (FORGETFUL, FORGET),
            "foldkeep fixity -o damaged.csv",
            "echo y | foldkeep fold damaged.csv --method heal",
            "foldkeep unfold --last",
        ],
    ),
)
UNSEEN = ("scan",)
"""What is only typed, for what comes after it."""

SETTINGS = """\
[scan]
ignore_names = ["*.part", "~*"]
ignore_folders = ["scratch"]

[kinds]
score = ["mxl", "musicxml"]
"""


def main() -> None:
    """Take the pictures named on the command line, or all of them."""
    missing = [tool for tool in ("Xvfb", "xterm", "import", "chromium", "chromedriver") if shutil.which(tool) is None]
    if missing:
        needs = "xvfb, xterm, fonts-dejavu-core, imagemagick, chromium and chromium-driver"
        sys.exit(f"{', '.join(missing)} not found; install {needs}")
    wanted = sys.argv[1:]
    shutil.rmtree(FOLDER, ignore_errors=True)
    environment = {
        **os.environ,
        "DISPLAY": DISPLAY,
        "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}",
        "FOLDKEEP_STOCK": str(FOLDER / "stock.sqlite3"),
        "XDG_CONFIG_HOME": str(FOLDER / "config"),
        "XDG_CACHE_HOME": str(FOLDER / "cache"),  # or the names of real programs would be in the pictures
    }
    subprocess.run(["foldkeep", "demo", str(FOLDER), "--library-only"], env=environment, check=True)
    settings = FOLDER / "config" / "foldkeep" / "settings.toml"
    settings.parent.mkdir(parents=True)
    settings.write_text(SETTINGS)
    PICTURES.mkdir(parents=True, exist_ok=True)
    screen = subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    try:
        socket = Path("/tmp/.X11-unix", f"X{DISPLAY[1:]}")
        while not socket.exists():
            time.sleep(0.1)
        time.sleep(1)
        for name, lines in SHOTS:
            if name == "compare":
                later(environment)
            take(name, lines, environment, keep=name not in UNSEEN and (not wanted or name in wanted))
            if name == "checkup":
                subprocess.run(NO_MORE, shell=True, cwd=FOLDER, env=environment, check=True)
            if name == "keep":
                draw(environment, wanted)
        if not wanted or "cloud" in wanted:
            with cloud_beside(str(FOLDER)) as cloud:
                own = {**environment, "FOLDKEEP_STOCK": str(FOLDER / "cloud.sqlite3")}
                take("cloud", cloud_lines(cloud.url), own, keep=True)
    finally:
        screen.terminate()
        screen.wait()
    shutil.rmtree(FOLDER)


def cloud_lines(url: str) -> list[str | tuple[str, str]]:
    """Return what is typed with a cloud at an address: scanned, told apart, compared, and how full it is."""
    return [
        ("foldkeep scan library", "foldkeep scan library > /dev/null"),
        (f"foldkeep scan {url}", f"foldkeep scan {url} < /dev/null"),  # nobody is asked
        ("foldkeep places --separate library 127.0.0.1", "foldkeep places --separate library 127.0.0.1 < /dev/null"),
        "foldkeep duplicates --kind photo --name 'WKD*' --top 1",
        "foldkeep space --top 0",
    ]


def later(environment: dict[str, str]) -> None:
    """Save what is known of a folder, change it, and scan it again."""
    folder = FOLDER / "library" / "card copies"
    # What was folded for the pictures before comes back, so that this one starts from the library as it was made.
    for line in (["unfold", "1"], ["scan", folder, "--read-all", "--stock", FOLDER / "one"]):
        subprocess.run(["foldkeep", *line, "--quiet"], env=environment, check=True)
    save = ["foldkeep", "inventory", "save", "card copies.inventory", "--stock", FOLDER / "one", "--quiet"]
    subprocess.run(save, cwd=FOLDER, env=environment, check=True)
    subprocess.run(LATER, shell=True, cwd=FOLDER, check=True)
    subprocess.run(["foldkeep", "scan", "--read-all", "--quiet"], env=environment, check=True)


def draw(environment: dict[str, str], wanted: list[str]) -> None:
    """Take the pictures that are no terminal's: the map, the bars, and the pages."""
    for line in ("space library --treemap map.png --quiet",
                 "sheet docket.csv --quiet"):  # fmt: skip
        subprocess.run(["foldkeep", *line.split()], cwd=FOLDER, env=environment, check=True)
    if not wanted or "treemap" in wanted:
        shutil.copy(FOLDER / "map.png", PICTURES / "treemap.png")
    if not wanted or "sheet" in wanted:
        look_at("sheet", "step(1); step(1, true); step(1, true); step(1);")


def look_at(name: str, script: str) -> None:
    """Take a picture of a page after a script of the page."""
    from selenium import webdriver
    from selenium.webdriver.chrome.service import Service

    options = webdriver.ChromeOptions()
    options.binary_location = shutil.which("chromium") or ""
    for word in ("--headless=new", "--no-sandbox", "--window-size=1280,943", "--hide-scrollbars"):
        options.add_argument(word)
    browser = webdriver.Chrome(options=options, service=Service(shutil.which("chromedriver")))
    browser.get((FOLDER / f"{name}.html").as_uri())
    browser.execute_script(script)
    time.sleep(1)
    browser.save_screenshot(str(PICTURES / f"{name}.png"))
    browser.quit()


def take(name: str, lines: list[str | tuple[str, str]], environment: dict[str, str], keep: bool) -> None:
    """Type lines into a fresh terminal window and save what it shows then."""
    done = FOLDER / ".done"
    done.unlink(missing_ok=True)
    pairs = [line if isinstance(line, tuple) else (line, line) for line in lines]
    typed = "; ".join(
        f"printf '\\033[1m$\\033[0m %s\\n' {shlex.quote(shown)}; {really}; echo" for shown, really in pairs
    )
    look = "-geometry 157x45+0+0 -b 12 -bg #fdfcf8 -fg #22262a -fs 10 -fa".split()
    colors = [f"*{name}" for name in ("color2: #1a7f37", "color3: #9a6700", "color6: #0b6e83", "faintIsRelative: true")]
    resources = [word for color in colors for word in ("-xrm", color)]
    window = subprocess.Popen(
        ["xterm", *look, "DejaVu Sans Mono", *resources, "-e", "sh", "-c", f"{typed}; touch {done}; sleep 60"],
        cwd=FOLDER,
        env=environment,
    )
    while not done.exists():
        time.sleep(0.1)
    time.sleep(0.7)
    if keep:
        subprocess.run(
            ["import", "-window", "root", "-crop", "1280x789+0+0", "+repage", str(PICTURES / f"{name}.png")],
            env=environment,
            check=True,
        )
    window.terminate()
    window.wait()


if __name__ == "__main__":
    main()
