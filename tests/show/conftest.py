"""A browser for the tests of pages."""

from pathlib import Path

import pytest

from harness.browsers import CHROMIUM, DRIVER


@pytest.fixture(scope="module")
def downloads(tmp_path_factory):
    return tmp_path_factory.mktemp("downloads")


@pytest.fixture(scope="module")
def browser(downloads: Path):
    if not CHROMIUM or not DRIVER:
        pytest.skip("pages in a browser: chromium or chromedriver is not here")
    from selenium import webdriver
    from selenium.webdriver.chrome.service import Service

    options = webdriver.ChromeOptions()
    options.binary_location = CHROMIUM
    for word in ("--headless=new", "--no-sandbox", "--window-size=1280,800", "--disable-gpu"):
        options.add_argument(word)
    options.add_experimental_option("prefs", {"download.default_directory": str(downloads)})
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    chrome = webdriver.Chrome(options=options, service=Service(DRIVER))
    yield chrome
    chrome.quit()
