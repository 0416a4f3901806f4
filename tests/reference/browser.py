"""A real Chromium, from the system's packages, without a network."""

import json
import shutil
from contextlib import contextmanager
from pathlib import Path

CHROMIUM, DRIVER = shutil.which("chromium"), shutil.which("chromedriver")
MISSING = "" if CHROMIUM and DRIVER else "Chromium and its driver are not installed"
SWITCHES = (
    "--headless=new", "--no-sandbox", "--use-gl=angle", "--use-angle=swiftshader", "--enable-unsafe-swiftshader",
    "--hide-scrollbars", "--disable-background-networking", "--disable-component-update", "--no-first-run",
    "--proxy-server=127.0.0.1:9", "--host-resolver-rules=MAP * ~NOTFOUND", "--disable-dev-shm-usage",
)  # fmt: skip


class Browser:
    """Opens pages, runs scripts in them, and says what was fetched."""

    def __init__(self, driver) -> None:
        self.driver = driver

    def open(self, path: Path):
        """A page, once it runs; its clock stands still then."""
        from selenium.webdriver.support.ui import WebDriverWait

        self.driver.get_log("performance")
        self.driver.get(path.as_uri())
        WebDriverWait(self.driver, 60).until(lambda d: d.execute_script("return document.documentElement.dataset.ready"))
        self.run("fictilis.held = true")
        return self

    def run(self, script: str, *arguments):
        return self.driver.execute_script(script, *arguments)

    def said(self) -> list[str]:
        """What stands in its log of errors and warnings, but for what a renderer without a graphics card says of itself."""
        return [e["message"] for e in self.driver.get_log("browser") if "GPU stall" not in e["message"]]

    def fetched(self) -> list[str]:
        """What was asked for since it was opened, but for itself and what it holds."""
        found = []
        for entry in self.driver.get_log("performance"):
            message = json.loads(entry["message"])["message"]
            if message["method"] == "Network.requestWillBeSent":
                url = message["params"]["request"]["url"]
                found += [] if url.startswith(("file:", "data:", "blob:")) else [url]
        return found


@contextmanager
def chromium(width: int = 1280, height: int = 900, dark: bool = False):
    from selenium import webdriver
    from selenium.webdriver.chrome.service import Service

    options = webdriver.ChromeOptions()
    for switch in (*SWITCHES, f"--window-size={width},{height}", *(["--force-dark-mode"] if dark else [])):
        options.add_argument(switch)
    options.binary_location = CHROMIUM
    options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
    driver = webdriver.Chrome(options=options, service=Service(DRIVER))
    try:
        yield Browser(driver)
    finally:
        driver.quit()
