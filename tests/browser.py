"""Debian's Chromium, as the tests and the screenshots drive it."""

from __future__ import annotations

from pathlib import Path

from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service

ARGUMENTS = (
    "--headless=new", "--no-sandbox", "--use-angle=swiftshader", "--enable-unsafe-swiftshader", "--disable-quic",
    "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--hide-scrollbars", "--disable-dev-shm-usage",
)  # fmt: skip


def open_browser(downloads: Path, width: int = 1280, height: int = 800, played: bool = True) -> webdriver.Chrome:
    """A headless browser with a window of this size that saves downloads without asking.

    `played`: software plays a graphics processor, so that there is WebGL; else there is none, and the browser puts its
    pages together in memory.
    """
    options = Options()
    for argument in (*ARGUMENTS, f"--window-size={width},{height}"):
        if played or "swiftshader" not in argument:
            options.add_argument(argument)
    options.add_experimental_option("prefs", {"download.default_directory": str(downloads)})
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    driver = webdriver.Chrome(options=options, service=Service("/usr/bin/chromedriver"))
    resize(driver, width, height)
    driver.downloads = str(downloads)
    return driver


def resize(driver: webdriver.Chrome, width: int, height: int) -> None:
    size = {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False}
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride", size)
