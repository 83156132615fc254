"""A real browser, and a sheet that is open in it."""

import shutil
import time
from pathlib import Path

CHROMIUM = next(filter(None, map(shutil.which, ("chromium", "chromium-browser"))), None)
DRIVER = shutil.which("chromedriver")


class Sheet:
    """A sheet that is open in the browser."""

    def __init__(self, browser, page: Path) -> None:
        self.browser = browser
        browser.execute_cdp_cmd("Page.addScriptToEvaluateOnNewDocument", {"source": "window.onbeforeunload = null;"})
        browser.get(page.as_uri())

    def ask(self, script: str):
        return self.browser.execute_script(f"return {script};")

    def run(self, script: str) -> None:
        self.browser.execute_script(script)

    def press(self, *keys: str) -> None:
        from selenium.webdriver.common.action_chains import ActionChains

        ActionChains(self.browser).send_keys(*keys).perform()

    def choose(self, name: str, value: str) -> None:
        self.browser.execute_script(
            f"const e = document.getElementById('{name}'); e.value = arguments[0];"
            " e.dispatchEvent(new Event(e.tagName === 'INPUT' ? 'input' : 'change'));", value)  # fmt: skip

    def rows(self) -> list[str]:
        return self.ask("[...document.querySelectorAll('.row')].map(row => row.innerText.replaceAll('\\n', ' '))")

    def saved(self, downloads: Path) -> Path:
        before = set(downloads.iterdir())
        self.ask("document.getElementById('save').click()")
        until = time.monotonic() + 10
        while time.monotonic() < until:
            new = {path for path in downloads.iterdir() if path.suffix == ".csv"} - before
            if new:
                return new.pop()
            time.sleep(0.05)
        raise TimeoutError("nothing was downloaded")
