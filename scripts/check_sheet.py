"""Open sheets in a real browser, without a screen: point, keyboard, no script, print, no error.

    python scripts/check_sheet.py        (needs selenium, and Debian's chromium and chromium-driver)

Makes the sheets of the demo data and of a hostile text, and says what it tried; exits with 1 if any of
it did not work.
"""

from __future__ import annotations

import base64
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.common.action_chains import ActionChains
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

HOSTILE = 'a;b\n<script>document.title="taken"</script>;"x\n<img src=x onerror=alert(1)>;\u202eabc\n</td></table><h1>big;&lt;\n'


def main() -> int:
    """Try every sheet; return the exit status."""
    failed = 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        run(folder, "demo", "canal", "--quiet")
        (folder / "hostile.txt").write_text(HOSTILE, encoding="utf-8")
        for text in ("notices", "permits", "register", "tolls"):
            run(
                folder,
                "rebuild",
                f"canal/{text}.txt",
                "--quiet",
                "-o",
                f"{text}.csv",
                "--sheet",
                f"{text}.html",
            )
        run(
            folder,
            "split",
            "hostile.txt",
            "-d",
            "semicolon",
            "--quote",
            "none",
            "--quiet",
            "-o",
            "h.csv",
            "--sheet",
            "hostile.html",
        )
        for page in sorted(folder.glob("*.html")):
            for what, test in TESTS.items():
                driver = open_browser(has_script=what != "without a script")
                try:
                    driver.get(page.as_uri())
                    said = test(driver)
                finally:
                    driver.quit()
                print(f"{page.name:14} {what:18} {said or 'good'}")
                failed += bool(said)
    return int(failed > 0)


def run(folder: Path, *words: str) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "wetcomb", *words], cwd=folder, capture_output=True, check=False
    )
    if done.returncode not in (0, 1):
        raise SystemExit(done.stderr.decode())


def open_browser(*, has_script: bool) -> webdriver.Chrome:
    options = webdriver.ChromeOptions()
    for word in ("--headless=new", "--no-sandbox", "--window-size=1280,800"):
        options.add_argument(word)
    options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
    if not has_script:
        options.add_experimental_option(
            "prefs", {"profile.managed_default_content_settings.javascript": 2}
        )
    driver = shutil.which("chromedriver") or "chromedriver"
    return webdriver.Chrome(options=options, service=webdriver.ChromeService(driver))


def count_lit(driver: webdriver.Chrome) -> int:
    return len(driver.find_elements(By.CSS_SELECTOR, ".on"))


def point(driver: webdriver.Chrome) -> str:
    for place in (".source a[href]", ".records td a[href]"):
        first = driver.find_element(By.CSS_SELECTOR, place)
        ActionChains(driver).move_to_element(first).perform()
        lit = driver.find_elements(By.CSS_SELECTOR, ".on")
        if len(lit) != 2 or lit[0].text != lit[1].text:
            return f"pointing at {place} lights {[one.text for one in lit]}"
    return ""


def use_keyboard(driver: webdriver.Chrome) -> str:
    value = driver.find_element(By.CSS_SELECTOR, ".source a[href]")
    driver.execute_script("arguments[0].focus()", value)
    if count_lit(driver) != 2:
        return "a value in focus does not light its cell"
    value.send_keys(Keys.ENTER)
    if not driver.current_url.endswith(value.get_attribute("href").partition("#")[2]):
        return "a value is no link to its cell"
    ActionChains(driver).send_keys(Keys.TAB).send_keys(Keys.ESCAPE).perform()
    return "Escape does not put the light out" if count_lit(driver) else ""


def go_without_script(driver: webdriver.Chrome) -> str:
    value = driver.find_element(By.CSS_SELECTOR, ".source a[href]")
    text = value.text
    value.click()
    targets = driver.find_elements(By.CSS_SELECTOR, ":target")
    if len(targets) != 1 or targets[0].text != text:
        return "following a value does not lead to its cell"
    return "" if driver.find_elements(By.CSS_SELECTOR, ".records tbody tr") else "there is no table"


def print_page(driver: webdriver.Chrome) -> str:
    raw = base64.b64decode(
        driver.execute_cdp_cmd("Page.printToPDF", {"printBackground": True})["data"]
    )
    return "" if raw.startswith(b"%PDF") and len(raw) > 5000 else "nothing was printed"


def look_for_errors(driver: webdriver.Chrome) -> str:
    odd = [entry["message"] for entry in driver.get_log("browser") if entry["level"] != "INFO"]
    if driver.title == "taken" or driver.find_elements(By.CSS_SELECTOR, "img, h1 ~ h1"):
        return "text became markup"
    return "; ".join(odd)


TESTS: dict[str, Callable[[webdriver.Chrome], str]] = {
    "pointing": point,
    "keyboard": use_keyboard,
    "without a script": go_without_script,
    "printing": print_page,
    "no error": look_for_errors,
}

if __name__ == "__main__":
    sys.exit(main())
