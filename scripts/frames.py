"""Frames a second while shapes turn in a headless browser: `python scripts/frames.py [SUBDIVISIONS ...]`.

A ball of 20 * 4**SUBDIVISIONS triangles is turned for three seconds by a small step every frame, without a graphics
processor and with one that software plays.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))

from brook.core.bench.shapes import ball_of  # noqa: E402
from brook.core.geometry.files import write_file  # noqa: E402
from brook.core.study import Study  # noqa: E402
from scripts.screenshots import start, wait_for_shape  # noqa: E402
from tests.browser import open_browser  # noqa: E402
from tests.web.helpers import client, take_in  # noqa: E402

TURN = """
  const done = arguments[1], canvas = document.querySelector(arguments[0]);
  const key = () => canvas.dispatchEvent(new KeyboardEvent("keydown", {key: "ArrowRight", bubbles: true}));
  let frames = 0, begun = 0, warm = 0;
  const step = (now) => {
    if (++warm === 15) begun = now;
    if (warm > 15) frames++;
    if (warm > 15 && now - begun > 3000) { done(1000 * frames / (now - begun)); return; }
    key();
    requestAnimationFrame(step);
  };
  requestAnimationFrame(step);"""


def main(levels: list[int]) -> None:
    with tempfile.TemporaryDirectory() as folder:
        server, thread, address = start(Path(folder) / "data", with_demo=False)
        browsers = {
            "no graphics processor": open_browser(Path(folder), played=False),
            "a played one": open_browser(Path(folder)),
        }
        for browser in browsers.values():
            browser.get(address)
            browser.execute_script("localStorage.setItem('brook visit', 'done')")
        for level in levels:
            ball = ball_of(level)
            study = Study.model_validate(
                {"title": f"Ball {level}", "variants": [{"name": "a", "title": "A", "geometry": {"kind": "space"}}]}
            )
            with client(address) as http:
                slug = take_in(http, study)
                file = {"file": ("ball.stl", write_file("ball.bin.stl", ball))}
                http.post(f"/studies/{slug}/geometry/a/files", files=file, data={"page": "geometry"})
                unit = {"page": "geometry", "pointer": "/variants/0/geometry/parts/0/unit", "value": "m", "name": "a"}
                http.post(f"/studies/{slug}/edit", data=unit)
            for words, browser in browsers.items():
                browser.get(f"{address}/studies/{slug}/geometry/a")
                wait_for_shape(browser)
                begun = time.monotonic()
                browser.get(f"{address}/studies/{slug}/geometry/a")
                wait_for_shape(browser)
                shown = time.monotonic() - begun - 1
                frames = max(browser.execute_async_script(TURN, ".space-canvas") for _ in range(2))
                print(
                    f"{ball.count:8d} triangles, {words}: shown again after {shown:.1f} s, {frames:.0f} frames/s",
                    flush=True,
                )
        for browser in browsers.values():
            browser.quit()
        server.should_exit = True
        thread.join(timeout=20)


if __name__ == "__main__":
    main([int(level) for level in sys.argv[1:]] or [6, 7, 8])
