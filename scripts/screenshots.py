"""Makes docs/screenshots from the demo data: one picture of each main view at 1280×800.

python scripts/screenshots.py [DATA [NAME ...]] takes them from a data folder that has all demo results already, and only some of them.
"""

from __future__ import annotations

import json
import socket
import sys
import tempfile
import threading
import time
from pathlib import Path

import httpx
import uvicorn
from selenium.webdriver import ActionChains, Chrome
from selenium.webdriver.common.by import By

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from brook.web.server import create_app  # noqa: E402
from tests.browser import open_browser  # noqa: E402

BARS, CHILLER = "/studies/intake-bars", "/studies/chiller-plate"
TRAY = "/studies/incubation-tray"
HEADER = "/studies/spray-header"
SLACK = "/studies/intake-bars-in-slack-water"
FLOOD = "/studies/intake-bars-in-flood"
READ = {TRAY: 24, HEADER: 6, BARS: 9, CHILLER: 16, SLACK: 9, FLOOD: 9}  # readings once all runs have ended
VARIANT = "hanging_and_standing"
STREAMLINES = 4  # the last of the buttons that add a layer
TYPE = """
const [selector, value] = arguments, field = document.querySelector(selector);
field.value = value;
field.dispatchEvent(new Event("change"));
"""
ACCOUNT = """
document.querySelectorAll("details.account").forEach((account, k) => { account.open = k === 1; });
document.querySelector(".ledgers").parentElement.scrollIntoView();
"""
SHOTS = {
    "shelf": "/",
    "evidence": "/evidence",
    "library": "/library",
    "board": TRAY,
    "geometry": f"{TRAY}/geometry/{VARIANT}",
    "mesh": f"{TRAY}/mesh/{VARIANT}",
    "set-up": f"{TRAY}/set-up/{VARIANT}",
    "run": f"{TRAY}/run/{VARIANT}",
    "results": f"{TRAY}/results/{VARIANT}",
    "compare": f"{TRAY}/compare",
    "sure": f"{TRAY}/sure/{VARIANT}-at-high_water",
    "sweeps": f"{TRAY}/sweeps",
    "report": f"{TRAY}/report",
    "desk": "/desk",
    "space": f"{HEADER}/geometry/even?cut=y:0.500",
    "results-heat": f"{CHILLER}/results/double",
    "results-space": f"{HEADER}/results/even",
    "compare-space": f"{HEADER}/compare?plate=through_the_middle",
}


def start(data: Path, with_demo: bool = True) -> tuple[uvicorn.Server, threading.Thread, str]:
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    server = uvicorn.Server(uvicorn.Config(create_app(data, with_demo=with_demo), port=port, log_level="warning"))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    while not server.started:
        time.sleep(0.1)
    return server, thread, f"http://127.0.0.1:{port}"


def wait_for_shape(browser: Chrome) -> None:
    """Until the shape of a page is made and drawn."""
    shown = (
        "return document.querySelector('#space-view')?.dataset.state === 'shown' && !document.querySelector('.working')"
    )
    begun = time.monotonic()
    while not browser.execute_script(shown) and time.monotonic() - begun < 120:
        time.sleep(0.3)
    time.sleep(1)


def wait_for_picture(browser: Chrome, selector: str) -> None:
    """Until a picture in space is drawn."""
    begun = time.monotonic()
    while time.monotonic() - begun < 60:
        if browser.execute_script("return document.querySelector(arguments[0])?.dataset.state", selector) == "shown":
            return
        time.sleep(0.3)


def main() -> None:
    out = ROOT / "docs/screenshots"
    out.mkdir(parents=True, exist_ok=True)
    given, only = (Path(sys.argv[1]) if len(sys.argv) > 1 else None), sys.argv[2:]
    with tempfile.TemporaryDirectory() as folder:
        server, thread, address = start(given or Path(folder) / "data", with_demo=given is None)
        begun = time.monotonic()
        while given is None and any(
            httpx.get(f"{address}{s}/readings.csv", timeout=120).text.count(",yes") < n for s, n in READ.items()
        ):
            if time.monotonic() - begun > 1800:
                raise SystemExit("the demo runs did not end in time")
            time.sleep(0.5)
        print(f"all demo results are there {time.monotonic() - begun:.0f} s after the server's start")
        line = {"quantity": "velocity_x", "start_x": "200 mm", "start_y": "0 mm", "end_x": "200 mm", "end_y": "60 mm"}
        line |= {"along": "y", "title": "Across the middle of the tray", "page": "results"}
        httpx.post(f"{address}{TRAY}/act/add_plot", data=line, timeout=30)
        plate = {"quantity": "speed", "title": "Behind the baffles", "camera": "0.14,0.03,0.2", "streamlines": "1"}
        httpx.post(f"{address}{TRAY}/act/add_plate", data={**plate, "page": "results"}, timeout=30)
        cut = {"kind": "cut", "through": [0.0, 0.0009, 0.0], "across": [0.0, 1.0, 0.0], "levels": 12}
        picture = {"layers": [cut], "look": None, "colours": "smooth"}
        kept = {"quantity": "speed", "title": "Through the middle", "picture": json.dumps(picture), "page": "results"}
        httpx.post(f"{address}{HEADER}/act/add_plate_in_space", data=kept, timeout=30)
        # what reads results is there before pages ask
        for _ in range(3):
            httpx.get(f"{address}{TRAY}/variants/{VARIANT}/streamlines.json", timeout=120)
        browser = open_browser(Path(folder))
        browser.get(address)
        browser.execute_script("localStorage.setItem('brook visit', 'done')")
        for name, path in SHOTS.items():
            if only and name not in only:
                continue
            browser.get(address + path)
            time.sleep(4)
            if name.startswith("space"):
                wait_for_shape(browser)
            if name == "sweeps":
                httpx.post(f"{address}{TRAY}/sweeps/baffle_heights/compute", timeout=60)
                begun = time.monotonic()
                while httpx.get(f"{address}/api{TRAY}/aim", timeout=60).json()["state"] == "under way":
                    if time.monotonic() - begun > 600:
                        break
                    time.sleep(1)
                browser.get(address + path)
                time.sleep(4)
            if name == "results":
                choose = "const s = document.getElementById('streamlines'); s.value = 'default'; s.dispatchEvent(new Event('change'))"
                browser.execute_script(choose)
                time.sleep(3)
                canvas = browser.find_element(By.ID, "field")
                ActionChains(browser).move_to_element_with_offset(canvas, -40, -30).perform()
            if name == "results-space":
                wait_for_picture(browser, "#scene-view")
                browser.execute_script(
                    f"const add = k => document.querySelectorAll('.layer-add button')[k].click(); add({STREAMLINES})"
                )
                time.sleep(3)
                for label, value in (("Lines of equal value", "12"), ("How many streamlines", "40")):
                    browser.execute_script(TYPE, f".layer [aria-label='{label}']", value)
                    time.sleep(2)
                browser.execute_script("document.querySelector('.layer label:nth-of-type(4) input').click()")
                time.sleep(2)
            if name == "compare-space":
                time.sleep(6)
            if name == "results-heat":
                browser.execute_script("document.querySelector('.ledgers').scrollIntoView()")
                time.sleep(4)
                browser.execute_script(ACCOUNT)
                time.sleep(1)
            browser.save_screenshot(str(out / f"{name}.png"))
        if only and "space-mesh" not in only:
            browser.quit()
            server.should_exit = True
            thread.join(timeout=20)
            return
        # layers along the walls of the header, and a cut across it
        for action, values in (
            ("set_layers", {"wanted": "1"}),
            ("add_zone", {"kind": "near", "size": "2.5 mm", "patch": "branch_3"}),
        ):
            httpx.post(f"{address}{HEADER}/act/{action}", data={**values, "page": "mesh"}, timeout=30)
        height = {"pointer": "/mesh_plan/layers/height", "value": "0.3 mm", "page": "mesh", "name": "even"}
        httpx.post(f"{address}{HEADER}/edit", data=height, timeout=30)
        httpx.post(
            f"{address}{HEADER}/bring-up-to-date", data={"page": "mesh", "only": "even", "until": "mesh"}, timeout=30
        )
        browser.get(f"{address}{HEADER}/mesh/even")
        begun = time.monotonic()
        while "Layers along header" not in browser.page_source and time.monotonic() - begun < 120:
            time.sleep(0.5)
        time.sleep(2)
        choose = "const q = document.getElementById('quantity'); q.value = 'non_orthogonality'; q.dispatchEvent(new Event('change'))"
        browser.execute_script(choose)
        time.sleep(2)
        browser.save_screenshot(str(out / "space-mesh.png"))
        browser.quit()
        server.should_exit = True
        thread.join(timeout=20)


if __name__ == "__main__":
    main()
